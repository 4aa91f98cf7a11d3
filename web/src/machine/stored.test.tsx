// @vitest-environment happy-dom
/** What a machine has stored: held against what it prints, with what each difference means; and the way back in order. */
import { screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { handle, slowServer } from "../tests/hands";
import { BaselinePage } from "./BaselinePage";
import { InDoubt } from "./InDoubt";
import { StoredPage } from "./StoredPage";

const stored = (more: Partial<Schemas["StoredOut"]>): Schemas["StoredOut"] => ({
  id: 1,
  name: "steps_z",
  words: "Steps per mm, Z",
  value: 400,
  text: "",
  was: null,
  unit: "steps/mm",
  reason: "Travel test",
  by: "Wen",
  at: new Date().toISOString(),
  present: true,
  stand: "valid",
  doubt: "",
  lost: false,
  from_procedure: null,
  script: "",
  ...more,
});
const KINDS = [
  { name: "steps_z", label: "Steps per mm, Z", unit: "steps/mm", figure: true, digits: 4 },
  { name: "firmware", label: "Firmware build", unit: "", figure: false, digits: 0 },
];
const PRINTER = { id: 3, name: "Sheepshank", description: null };
const step = (more: Partial<Schemas["PlanStep"]>): Schemas["PlanStep"] => ({
  stage: "Resonance",
  title: "Shake it: Y",
  procedure: "resonance",
  place: "y",
  minutes: 15,
  instruments: ["accelerometer"],
  why: "A belt was set.",
  caution: "Hands out.",
  values: [],
  rounds: false,
  ...more,
});
const PLAN: Schemas["Plan"] = {
  steps: [
    step({ stage: "What it has stored", title: "Read back what it has stored", procedure: null, place: null, minutes: 4, caution: "" }),
    step({ values: ["shaper_frequency_y"] }),
  ],
  minutes: 19,
  instruments: ["accelerometer"],
  by_hand: ["Press each end switch by hand."],
}; // biome-ignore format: a table

beforeEach(() => sessionStorage.clear());

function page(stands: Schemas["StoredOut"][]) {
  const server = slowServer();
  const hands = handle(
    <StoredPage />,
    [
      [["printer", 3], PRINTER],
      [["printer", 3, "stored"], { stands, kinds: KINDS }],
    ],
    { path: "/machines/3/stored", route: "/machines/:id/stored" },
  );
  return { server, hands };
}

describe("what a machine has stored", () => {
  it("stands with whether it may be believed, and why not", () => {
    page([stored({}), stored({ name: "a", words: "Skew factor, XY", value: 0.0032, unit: "1", stand: "in_doubt", lost: true, doubt: "the firmware was changed" })]); // biome-ignore format: a row
    const text = screen.getByRole("region", { name: "What it has stored" }).textContent!;
    expect(text).toContain("Steps per mm, Z400 steps/mmvalidWen, just now. Travel test");
    expect(text).toContain("Skew factor, XY0.0032in doubtmay be lost: the firmware was changed.");
  });

  it("is held against what is printed: what differs first, what it means, and what puts it back", async () => {
    const { server, hands } = page([stored({})]);
    await hands.click(screen.getByLabelText("Paste what it prints of its settings"));
    await hands.paste("M92 Z384.00\nM420 S1");
    await hands.click(screen.getByRole("button", { name: "Hold it against the ledger" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/printers/3/stored/look",
      body: { text: "M92 Z384.00\nM420 S1" },
    });
    const compared = {
      name: "steps_z", label: "Steps per mm, Z", unit: "steps/mm", was: 400, now: 384, state: "changed",
      means: "parts come out 4 % short along Z", measured_by: "steps",
    }; // biome-ignore format: a row
    server.answer({
      compared: [compared],
      kept: [{ row: 2, line: "M420 S1", why: "" }],
      script: "M92 Z400.0000\nM500\nM503\n",
    });
    const differs = await screen.findByRole("region", { name: "Differs" });
    expect(differs.textContent).toContain("400 steps/mm → 384 steps/mmParts come out 4 % short along Z.");
    expect(screen.getByRole("region", { name: "Put it back" }).textContent).toContain("M92 Z400.0000");
    expect(screen.getByText("M420 S1")).toBeTruthy();
    await hands.click(screen.getByLabelText("The machine is right: take it over"));
    await hands.click(screen.getByRole("button", { name: "Keep it, and take 1 value over" }));
    await waitFor(() => expect(server.sent).toHaveLength(2));
    expect(server.sent[1]).toMatchObject({ url: "/api/printers/3/stored/keep", body: { take: ["steps_z"] } });
  });

  it("of an empty ledger all that the machine has is taken over", async () => {
    const { server, hands } = page([]);
    expect(screen.getByText(/The ledger knows nothing of this machine yet/)).toBeTruthy();
    await hands.type(screen.getByLabelText("Paste what it prints of its settings"), "M92 Z400");
    await hands.click(screen.getByRole("button", { name: "Hold it against the ledger" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    const fresh = {
      name: "steps_z",
      label: "Steps per mm, Z",
      unit: "steps/mm",
      was: null,
      now: 400,
      state: "new",
      means: "",
    };
    server.answer({ compared: [fresh], kept: [], script: "" });
    await screen.findByRole("button", { name: "Keep it, and take 1 value over" });
    expect(screen.getByText("Nothing was lost.")).toBeTruthy();
  });

  it("is written down by hand, a figure as a figure", async () => {
    const { server, hands } = page([stored({})]);
    await hands.click(screen.getByText("Write a value down"));
    await hands.selectOptions(screen.getByLabelText("Which"), "Steps per mm, Z");
    await hands.type(screen.getByLabelText("Value"), "many");
    await hands.click(screen.getByRole("button", { name: "Write it down" }));
    expect(screen.getByText("Enter a figure.")).toBeTruthy();
    expect(server.sent).toEqual([]);
    await hands.clear(screen.getByLabelText("Value"));
    await hands.type(screen.getByLabelText("Value"), "402,5");
    await hands.click(screen.getByRole("button", { name: "Write it down" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]).toMatchObject({
      url: "/api/printers/3/ledger",
      body: { name: "steps_z", value: 402.5, text: "" },
    });
  });
});

describe("the way back", () => {
  const known = (plan: Schemas["Plan"]): [unknown[], unknown][] => [
    [["printer", 3], PRINTER],
    [["printer", 3, "baseline"], plan],
  ];
  const where = { path: "/machines/3/baseline", route: "/machines/:id/baseline" };

  it("shows the one thing to do now, then the rest in order", () => {
    handle(<BaselinePage />, known(PLAN), where);
    expect(screen.getByText(/2 things to do, about/).textContent).toContain(
      "19 minutes. Take with you: accelerometer.",
    );
    expect(screen.getByRole("link", { name: "Begin, and go on from step to step" }).getAttribute("href")).toBe(
      "/machines/3/stored",
    );
    expect(screen.getByRole("link", { name: "Shake it: Y" }).getAttribute("href")).toBe("/bench/3/resonance/y");
    expect(screen.getByText(/Press each end switch by hand/)).toBeTruthy();
    expect(screen.getByText(/Settles 1 stored value/)).toBeTruthy();
  });

  it("sets belts in their rounds", () => {
    const pluck = step({ title: "Pluck it: X", procedure: "belt-pluck", place: "x", rounds: true });
    handle(<BaselinePage />, known({ ...PLAN, steps: [pluck] }), where);
    expect(screen.getByRole("link", { name: "Begin, and go on from step to step" }).getAttribute("href")).toBe(
      "/bench/3/belts/x",
    );
  });

  it("says that nothing is in doubt", () => {
    handle(<BaselinePage />, known({ steps: [], minutes: 0, instruments: [], by_hand: [] }), where);
    expect(screen.getByRole("heading", { name: "Nothing is in doubt" })).toBeTruthy();
    expect(screen.queryByRole("link", { name: "Begin, and go on from step to step" })).toBeNull();
  });

  it("stands on the machine's page while something is in doubt", () => {
    handle(<InDoubt id={3} />, known(PLAN));
    const text = screen.getByRole("region", { name: "In doubt" }).textContent!;
    expect(text).toContain("2 things may no longer be believed: a belt was set. The way back takes about 19 minutes.");
  });
});
