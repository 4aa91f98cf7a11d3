// @vitest-environment happy-dom
/** Long work as the pages follow it: to its end, through a lost network, stopped; and what a new core changes is decided once. */
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/client";
import { technician } from "../tests/draw";
import { handle, slowServer } from "../tests/hands";
import { LongWork } from "./LongWork";
import { outcome, type Work } from "./outcome";
import { WorkLine } from "./WorkLine";

const work = (more: Partial<Work> = {}): Work => ({
  id: 4,
  kind: "recompute",
  words: "Compute all captures again by core 9",
  state: "running",
  done: 20,
  total: 92,
  said: "",
  by: "Ilse",
  at: new Date().toISOString(),
  began_at: null,
  ended_at: null,
  stopping: false,
  decide: false,
  capture: null,
  ...more,
});
const json = (body: unknown) => new Response(JSON.stringify(body), { headers: { "content-type": "application/json" } });

describe("a piece of long work", () => {
  it("is followed to its end, through a lost network", async () => {
    vi.useFakeTimers({ shouldAdvanceTime: true, advanceTimeDelta: 200 });
    const answers = [
      () => json(work()),
      () => Promise.reject(new TypeError("no network")),
      () => json(work({ state: "done" })),
    ];
    vi.stubGlobal("fetch", async () => answers.shift()!());
    const seen: string[] = [];
    expect((await outcome(4, (w) => seen.push(w.state))).state).toBe("done");
    expect(seen).toEqual(["running", "done"]);
    vi.useRealTimers();
  });

  it("that fails is thrown with why", async () => {
    vi.stubGlobal("fetch", async () => json(work({ state: "failed", said: "The accelerometer does not answer." })));
    await expect(outcome(4, () => undefined)).rejects.toThrow("The accelerometer does not answer.");
  });

  it("says how far it is, and is stopped once", async () => {
    const server = slowServer();
    const told = vi.fn();
    const hands = handle(<WorkLine work={work()} onTold={told} />);
    expect(screen.getByRole("status").textContent).toBe("20 of 92 done, 72 to go");
    expect(screen.getByRole("progressbar").getAttribute("value")).toBe("20");
    await hands.click(screen.getByRole("button", { name: "Stop" }));
    await waitFor(() => expect(screen.getByRole("status").textContent).toBe("Stopping at the next step …"));
    expect((screen.getByRole("button") as HTMLButtonElement).disabled).toBe(true);
    expect(server.sent.map((s) => s.url)).toEqual(["/api/works/4/stop"]);
    server.answer(work({ stopping: true }));
    await waitFor(() => expect(told).toHaveBeenCalledOnce());
  });
});

describe("the page of long work", () => {
  const shop = { printers: [{ id: 1, name: "Marline" }] } as unknown as Schemas["Workshop"];
  const known = (works: Work[], workers = 1): [unknown[], unknown][] => [
    [["works"], { works, workers, measured: [{ name: "drag", words: "Drag" }] }],
    [
      ["changes", 4],
      {
        changed: 2,
        refused: 1,
        captures: 9,
        listed: [
          {
            capture_id: "c",
            printer: "Marline",
            printer_id: 1,
            place: "x",
            procedure: "drag",
            at: new Date().toISOString(),
            was: "in_tolerance",
            will_be: "out_of_tolerance",
          },
        ],
      },
    ],
  ];
  const lead = { me: { ...technician, role: "lead" as const } };

  it("shows what would change, with what it was, and lets it be left or stand", async () => {
    const server = slowServer();
    const hands = handle(<LongWork shop={shop} />, known([work({ state: "done", decide: true })]), lead);
    expect(screen.getByText("2 verdicts of 9 would change.")).toBeTruthy();
    expect(screen.getByText("1 are not taken by this version, and stay as they are.")).toBeTruthy();
    const row = screen.getByRole("row", { name: /Marline/ });
    expect(row.textContent).toMatch(/X.*Drag.*Within its limits.*Outside its limits/);
    expect(screen.getByText("And 1 more.")).toBeTruthy();
    await hands.click(screen.getByRole("button", { name: "Let it stand" }));
    await waitFor(() => expect(server.sent.map((s) => s.url)).toEqual(["/api/works/4/accept"]));
    expect((screen.getByRole("button", { name: "Leave all as it was" }) as HTMLButtonElement).disabled).toBe(true);
  });

  it("says that nobody works, and offers what failed again, but never a record", async () => {
    const failed = { state: "failed" as const, said: "It was not managed." };
    const rows = [work(failed), work({ ...failed, id: 5, kind: "record", done: 0 })];
    handle(<LongWork shop={shop} />, known(rows, 0), lead);
    expect(screen.getByRole("note").textContent).toContain("No worker runs.");
    expect(screen.getAllByText("It was not managed.")).toHaveLength(2);
    expect(screen.getAllByRole("button", { name: /Go on with it|Do it again/ })).toHaveLength(1);
  });
});
