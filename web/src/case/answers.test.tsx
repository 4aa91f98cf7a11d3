// @vitest-environment happy-dom
/** A check's answer, given by hand and by key: shown as taken at once, sent once. */
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/client";
import { handle, slowServer } from "../tests/hands";
import { CheckStep } from "./CheckStep";

const next = {
  check: "rock",
  label: "Rock test",
  axis: "x",
  minutes: 5,
  saves_minutes: 10,
  why: "",
  gate: null,
  outcomes: [
    { finding: "carriage_rocks", axis: "x", label: "It rocks", probability: 0.4 },
    { finding: null, axis: null, label: "All fine", probability: 0.6 },
  ],
} as unknown as Schemas["NextCheck"];
const known: [unknown[], unknown][] = [
  [
    ["knowledge"],
    { checks: [{ id: "rock", answers: ["carriage_rocks"], swap: false, nothing: "All fine", procedure: null }] },
  ],
  [["findings"], [{ id: "carriage_rocks", label: "The carriage rocks", unit: "mm" }]],
  [["bench", 1], { entries: [] }],
];

function step(what = next, knows = known) {
  const server = slowServer();
  const changed = vi.fn();
  const hands = handle(
    <CheckStep
      c={{ id: 7, printer_id: 1 } as Schemas["CaseOut"]}
      next={what}
      changed={changed}
      onWhatIf={() => undefined}
      done={() => undefined}
    />,
    knows,
  );
  return { server, changed, hands };
}

describe("an answer", () => {
  it("by key says that it was taken while it is on its way, and goes out once", async () => {
    const { server, changed, hands } = step();
    await hands.keyboard("0");
    await waitFor(() => expect(screen.getByRole("status").textContent).toBe("Taken: all fine. Writing it down …"));
    await hands.keyboard("0");
    expect(server.sent).toHaveLength(1);
    expect(server.sent[0]).toMatchObject({ url: "/api/cases/7/outcomes", body: { check: "rock", found: [] } });
    server.answer({ id: 7 });
    await waitFor(() => expect(changed).toHaveBeenCalledOnce());
    expect(screen.getByRole("status").textContent).toBe("");
  });

  it("by hand carries the figure that was measured, with its axis", async () => {
    const { server, hands } = step();
    await hands.click(screen.getByLabelText(/The carriage rocks/));
    await hands.type(screen.getByLabelText("The carriage rocks in mm, where measured"), "0,25");
    await hands.click(screen.getByRole("button", { name: "That was found" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toMatchObject({
      found: [{ finding: "carriage_rocks", axis: "x", state: "present", value: 0.25 }],
    });
    expect(screen.getByRole("status").textContent).toBe("Taken: The carriage rocks, X. Writing it down …");
  });

  it("that is refused is kept, with what the server said", async () => {
    const { server, changed, hands } = step();
    await hands.click(screen.getByLabelText(/The carriage rocks/));
    await hands.click(screen.getByRole("button", { name: "That was found" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    server.answer({ title: "closed", detail: "This case is closed. Open it again first.", code: "closed" }, 409);
    await waitFor(() => expect(screen.getByRole("alert").textContent).toContain("This case is closed"));
    expect((screen.getByRole("checkbox") as HTMLInputElement).checked).toBe(true);
    expect(changed).not.toHaveBeenCalled();
  });

  it("that is no figure is said before anything is sent", async () => {
    const { server, hands } = step();
    await hands.click(screen.getByLabelText(/The carriage rocks/));
    await hands.type(screen.getByLabelText("The carriage rocks in mm, where measured"), "a lot");
    await hands.click(screen.getByRole("button", { name: "That was found" }));
    await waitFor(() => expect(screen.getByRole("alert").textContent).toContain("“a lot” is not a figure."));
    expect(server.sent).toEqual([]);
  });
});

it("of a swap that cured nothing is not called fine", async () => {
  const swap = { ...next, check: "swap", label: "Swap the spool" };
  const checks = [
    { id: "swap", answers: ["carriage_rocks"], swap: true, nothing: "It stays as it was", procedure: null },
  ];
  step(swap, [[["knowledge"], { checks }], ...known.slice(1)]);
  expect(screen.getByRole("button", { name: /^It stays as it was/ })).toBeTruthy();
  expect(screen.queryByRole("button", { name: /^All fine/ })).toBeNull();
});

describe("a walk round the machine", () => {
  const at = (finding: string, axis: string | null) => ({ finding, axis, label: finding });
  const walk = {
    ...next,
    check: "walk",
    label: "Walk round the machine",
    axis: null,
    asks: [at("spool_pulls", null), at("belt_dust", "a"), at("belt_dust", "b")],
    outcomes: [],
  } as unknown as Schemas["NextCheck"];
  const knows: [unknown[], unknown][] = [
    [
      ["knowledge"],
      {
        checks: [
          { id: "walk", answers: ["spool_pulls", "belt_dust"], swap: false, nothing: "All fine", procedure: null },
        ],
      },
    ],
    [
      ["findings"],
      [
        { id: "spool_pulls", label: "The spool pulls", unit: null },
        { id: "belt_dust", label: "Dust below a belt", unit: null },
      ],
    ],
    [["bench", 1], { entries: [] }],
  ];

  it("asks each thing once, with the places where it may be", async () => {
    const { server, hands } = step(walk, knows);
    expect(screen.getAllByRole("checkbox")).toHaveLength(2);
    await hands.click(screen.getByLabelText(/Dust below a belt/));
    const where = screen.getByRole("group", { name: "Dust below a belt: where" });
    expect([...where.querySelectorAll("button")].map((b) => b.textContent)).toEqual(["A", "B"]);
    await hands.click(screen.getByRole("button", { name: "B" }));
    await hands.click(screen.getByLabelText(/The spool pulls/));
    await hands.click(screen.getByRole("button", { name: "That was found" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toMatchObject({
      check: "walk",
      found: [
        { finding: "belt_dust", axis: "b" },
        { finding: "spool_pulls", axis: "" },
      ],
    });
  });

  it("takes a finding whose place nobody knows as found somewhere", async () => {
    const { server, hands } = step(walk, knows);
    await hands.click(screen.getByLabelText(/Dust below a belt/));
    await hands.click(screen.getByRole("button", { name: "That was found" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toMatchObject({ found: [{ finding: "belt_dust", axis: "" }] });
  });
});
