// @vitest-environment happy-dom
/** An instrument held against something known, and a comparison run without reading from memory. */
import { screen, waitFor } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { draw, type Known, technician } from "../tests/draw";
import { handle, slowServer } from "../tests/hands";
import { deviations } from "./Dots";
import { InstrumentPage } from "./InstrumentPage";
import { StudyPage } from "./StudyPage";

const q = (value: number, u95 = 0.002, unit = "mm") => ({ value, u95, unit });
const here = (more: Partial<Schemas["InstrumentHere"]> = {}): Schemas["InstrumentHere"] => ({
  id: 4,
  name: "Caliper 1",
  kind: "caliper",
  unit: "mm",
  resolution: 0.01,
  u95: 0.03,
  in_hands: null,
  checked_on: null,
  checked_against: "",
  check_due: null,
  doubt: "",
  address: "",
  checks: [],
  studies: [],
  hands: [
    { id: 2, name: "Wen" },
    { id: 3, name: "Oda" },
  ],
  ...more,
});
const study = (more: Partial<Schemas["StudyHere"]> = {}): Schemas["StudyHere"] => ({
  id: 7,
  instrument_id: 4,
  instrument: "Caliper 1",
  resolution: 0.01,
  unit: "mm",
  what: "Blocks",
  at: "2026-03-01T09:00:00Z",
  by: "Wen",
  people: [
    { id: 2, name: "Wen", left: [1, 0, 1, 0].map((piece, position) => ({ position, piece })) },
    { id: 3, name: "Oda", left: [] },
  ],
  pieces: ["A", "B"],
  times: 2,
  tolerance: null,
  readings: [20.0, 20.02, 30.1, 30.12].map((value, i) => ({ id: i + 1, person: 3, piece: i >> 1, value })),
  found: null,
  counts_since: null,
  ...more,
});
const at = (path: string, route: string) => ({ path, route });
const instrument = (i: Schemas["InstrumentHere"]) =>
  handle(<InstrumentPage />, [[["instrument", 4], i]], at("/instruments/4", "/instruments/:id"));
const running = (s: Schemas["StudyHere"]) =>
  handle(<StudyPage />, [[["study", 7], s]], at("/comparisons/7", "/comparisons/:id"));

beforeEach(() => sessionStorage.clear());

describe("an instrument", () => {
  it("is checked against something known, and what was typed goes as it is", async () => {
    const server = slowServer();
    const hands = instrument(here());
    await hands.type(screen.getByLabelText("Held against"), "25 mm gauge block");
    await hands.type(screen.getByLabelText("It is truly, mm"), "25");
    for (const reading of ["25,01", "25.02"])
      await hands.type(screen.getByLabelText(/It reads in mm/), `${reading}{Enter}`);
    await hands.click(screen.getByRole("button", { name: "Keep the check" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toMatchObject({
      how: "known",
      against: "25 mm gauge block",
      reference: 25,
      readings: [25.01, 25.02],
      limit: 0.02,
    });
    server.answer(here({ doubt: "Its last check found that it reads 0.1 mm more than is there." }));
    await screen.findByText(/reads 0.1 mm more/);
  });

  it("says a refusal at its field, and keeps what was typed", async () => {
    const server = slowServer();
    const hands = instrument(here());
    await hands.type(screen.getByLabelText("Held against"), "block");
    await hands.type(screen.getByLabelText(/It reads in mm/), "25{Enter}");
    await hands.click(screen.getByRole("button", { name: "Keep the check" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    server.answer(
      { code: "missing_field", field: "reference", detail: "Tell what is truly there.", title: "", status: 422 },
      422,
    );
    await screen.findByText("Tell what is truly there.");
    expect(screen.getByLabelText("It is truly, mm").getAttribute("aria-invalid")).toBe("true");
    expect((screen.getByLabelText("Held against") as HTMLInputElement).value).toBe("block");
  });

  it("tells what a reading in one's own hands is good to, where that is known", () => {
    const shown = (i: Schemas["InstrumentHere"]) =>
      draw(<InstrumentPage />, [[["instrument", 4], i]], at("/instruments/4", "/instruments/:id"));
    expect(shown(here())).toContain("Not known. Let two or more of you");
    expect(shown(here({ in_hands: 0.0249 }))).toContain("good to ± 0.025 mm");
  });

  it("is told anew by the lead, and by nobody else", async () => {
    const known: Known = [[["instrument", 4], here()]];
    expect(draw(<InstrumentPage />, known, at("/instruments/4", "/instruments/:id"))).not.toContain(
      "Change what is told",
    );
    const server = slowServer();
    const lead = { ...technician, role: "lead" as const };
    const hands = handle(<InstrumentPage />, known, { ...at("/instruments/4", "/instruments/:id"), me: lead });
    await hands.clear(screen.getByLabelText("Said to be good to ±"));
    await hands.type(screen.getByLabelText("Said to be good to ±"), "some");
    await hands.click(screen.getByRole("button", { name: "Keep it so" }));
    expect(screen.getByText("“some” is not a figure.")).toBeTruthy();
    await hands.clear(screen.getByLabelText("Said to be good to ±"));
    await hands.type(screen.getByLabelText("Said to be good to ±"), "0,04");
    await hands.click(screen.getByRole("button", { name: "Keep it so" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toEqual({
      name: "Caliper 1",
      kind: "caliper",
      unit: "mm",
      resolution: 0.01,
      u95: 0.04,
      address: "",
    });
  });

  it("begins a comparison with the pieces as they are called", async () => {
    const server = slowServer();
    const hands = instrument(here());
    await hands.type(screen.getByLabelText("What is measured"), "Blocks");
    await hands.clear(screen.getByLabelText(/The pieces/));
    await hands.type(screen.getByLabelText(/The pieces/), "A, B; C");
    await hands.click(screen.getByLabelText("Oda"));
    expect(screen.getByText(/18 readings/)).toBeTruthy();
    await hands.click(screen.getByRole("button", { name: "Begin" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toEqual({
      what: "Blocks",
      people: [technician.id, 3],
      pieces: ["A", "B", "C"],
      times: 3,
      tolerance: null,
    });
  });
});

describe("a comparison", () => {
  it("asks for the pieces in the person's order and hides what was read before", async () => {
    const server = slowServer();
    const hands = running(study());
    expect(screen.getByText(/Wen measures piece/).textContent).toBe("Wen measures piece B");
    const field = () => screen.getByLabelText(/Reading in mm/);
    await hands.type(field(), "30.11{Enter}");
    expect(screen.getByText(/Wen measures piece/).textContent).toBe("Wen measures piece A");
    await hands.type(field(), "20.01{Enter}");
    expect(screen.queryByText("30.11")).toBeNull();
    expect(screen.getByText("20.01")).toBeTruthy();
    await hands.type(field(), "30.13{Enter}20{Enter}");
    await hands.click(screen.getByRole("button", { name: "Keep Wen's readings" }));
    await waitFor(() => expect(server.sent).toHaveLength(1));
    expect(server.sent[0]!.body).toEqual({
      person: 2,
      readings: [30.11, 20.01, 30.13, 20].map((value, position) => ({ position, value })),
    });
  });

  it("asks about a figure that is ten times what others read of that piece", async () => {
    const hands = running(study());
    await hands.type(screen.getByLabelText(/Reading in mm/), "301.1{Enter}");
    expect(screen.getByRole("alert").textContent).toContain("ten times what is expected");
  });

  it("keeps what was typed over a reload", async () => {
    const hands = running(study());
    await hands.type(screen.getByLabelText(/Reading in mm/), "30.11{Enter}");
    expect(JSON.parse(sessionStorage.getItem("study-7-2")!)).toEqual([{ reading: 30.11 }]);
  });

  it("takes readings less what all found of that piece", () => {
    const both = study({
      readings: [
        { id: 1, person: 2, piece: 0, value: 20 },
        { id: 2, person: 3, piece: 0, value: 20.2 },
        { id: 3, person: 2, piece: 1, value: 30 },
        { id: 4, person: 3, piece: 1, value: 30.4 },
      ],
    });
    expect(deviations(both).map((d) => [d.person, d.piece, Number(d.off.toFixed(6))])).toEqual([
      [2, 0, -0.1],
      [3, 0, 0.1],
      [2, 1, -0.2],
      [3, 1, 0.2],
    ]);
  });

  it("says what came out, who reads more, and lets it count", async () => {
    const server = slowServer();
    const person = (name: string, bias: number) => ({
      person: name,
      readings: 4,
      mean: 25,
      bias: q(bias),
      repeatability: q(0.01),
      reading_u95: 0.03,
    });
    const found = {
      procedure: "gauge-study",
      verdict: "out_of_tolerance",
      judged: [
        {
          words: "A reading in these hands is good to ±",
          quantity: q(0.04),
          limits: { low: null, high: 0.03 },
          verdict: "out_of_tolerance",
        },
      ],
      advice: [],
      warnings: [],
      people: [person("Wen", -0.02), person("Oda", 0.02)],
      reading_u95: q(0.04),
      repeatability_limit: 0.03,
      reproducibility_limit: 0.05,
      categories: 4,
    } as unknown as Schemas["GaugeStudyResult"];
    const readings = study().readings.flatMap((r) => [r, { ...r, id: r.id + 10, person: 2, value: r.value - 0.04 }]);
    const whole = study({ found, readings, people: study().people.map((p) => ({ ...p, left: [] })) });
    const hands = running(whole);
    expect(screen.getByRole("heading", { name: "Too coarse for this band" })).toBeTruthy();
    expect(screen.getByRole("row", { name: /Oda 0.0200 ± 0.0020 mm 0.030 mm/ })).toBeTruthy();
    await hands.click(screen.getByRole("button", { name: "Let it count" }));
    await waitFor(() => expect(server.sent[0]?.url).toBe("/api/studies/7/count"));
    server.answer({ ...whole, counts_since: "2026-03-02T09:00:00Z" });
    await screen.findByText("It counts.");
  });
});
