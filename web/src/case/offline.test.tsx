// @vitest-environment happy-dom
/** A case without network: an answer is kept, said, not asked again, and goes out with when it was given. */
import { act, screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/client";
import { all, sendAll } from "../offline/entries";
import { WaitsHere } from "../offline/KeptNote";
import { technician } from "../tests/draw";
import { handle } from "../tests/hands";
import { CheckStep, RepairStep } from "./CheckStep";

vi.mock("idb-keyval", () => {
  const kept = new Map<string, unknown>();
  return {
    createStore: () => "store",
    entries: async () => [...kept],
    del: async (key: string) => void kept.delete(key),
    set: async (key: string, value: unknown) => void kept.set(key, value),
  };
});

const c = {
  id: 7,
  printer_id: 1,
  printer: "Marline",
  step: { kind: "repair", title: "Mend: grub screw loose", fault: "grub_screw_loose", place: "x" },
} as unknown as Schemas["CaseOut"];
const next = { check: "rock", label: "Rock test", axis: "x", minutes: 5, saves_minutes: 9, why: "", gate: null };
const known: [unknown[], unknown][] = [
  [
    ["knowledge"],
    { checks: [{ id: "rock", answers: ["carriage_rocks"], swap: false, nothing: "All fine", procedure: null }] },
  ],
  [["findings"], [{ id: "carriage_rocks", label: "The carriage rocks", unit: null }]],
  [["bench", 1], { entries: [] }],
];

describe("in a case without network", () => {
  it("an answer and a repair wait in order, are said where they belong, and are not asked again", async () => {
    Object.defineProperty(navigator, "onLine", { value: false, configurable: true });
    let network = false;
    const came: [string, string | null][] = [];
    vi.stubGlobal("fetch", async (path: string, how?: RequestInit) => {
      if (!network) throw new TypeError("no network");
      if (how?.method === "POST") came.push([path, new Headers(how.headers).get("Entered-At")]);
      return new Response(JSON.stringify({ id: 7 }), { headers: { Date: new Date().toUTCString() } });
    });
    const done = vi.fn();
    const hands = handle(
      <>
        <CheckStep
          c={c}
          next={next as unknown as Schemas["NextCheck"]}
          changed={() => undefined}
          onWhatIf={() => undefined}
          done={done}
        />
        <RepairStep c={c} changed={() => undefined} />
        <WaitsHere about="/cases/7" />
      </>,
      known,
    );
    await hands.keyboard("0");
    await waitFor(() => expect(screen.queryByText("What did it show?")).toBeNull());
    expect(done).toHaveBeenCalledOnce();
    expect(screen.getByText(/the bars move when the network is back/)).toBeTruthy();
    await hands.click(screen.getByRole("button", { name: "Done, it is gone" }));
    const here = await screen.findByRole("region", { name: "Entered here and not sent yet" });
    await waitFor(() => expect(here.textContent).toContain("Marline: Mend: grub screw loose: done, it is gone"));
    expect(here.textContent).toContain("Marline: Rock test: all fine");
    expect((await all()).map((e) => e.about)).toEqual(["/cases/7", "/cases/7"]);

    network = true;
    await act(async () => void (await sendAll(technician.id)));
    expect(came.map(([path]) => path)).toEqual(["/api/cases/7/outcomes", "/api/cases/7/repairs"]);
    for (const [, entered] of came) expect(Math.abs(Date.parse(entered!) - Date.now())).toBeLessThan(60_000);
    await waitFor(() => expect(screen.queryByRole("region")).toBeNull());
    expect(screen.getByText("What did it show?")).toBeTruthy();
  });
});
