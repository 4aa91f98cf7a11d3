// @vitest-environment happy-dom
/** Pages for paper: what a person typed ends no quote of the style sheet; a certificate and a report say what they rest on. */
import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { MeContext } from "../session/me";
import { handle } from "../tests/hands";
import { Certificate } from "./Certificate";
import { pageRule, quoted } from "./Paper";

const ME = { id: 2, name: "Wen", role: "technician", length_unit: "mm", force_unit: "N", light: "day" } as never;
const q = (value: number, u95: number, unit: string) => ({ value, u95, unit });

const TOLD = {
  capture: {
    id: "7b49",
    printer_id: 2,
    place: "x",
    procedure: "play",
    taken_at: "2026-03-10T09:00:00Z",
    taken_by: "Wen",
    core_version: "0.6.1",
    data_name: "",
    data_bytes: 0,
    found: {
      procedure: "play",
      verdict: "in_tolerance",
      judged: [
        {
          words: "Gives",
          quantity: q(0.03, 0.01, "mm"),
          limits: { high: 0.05 },
          source_of_limits: "typical",
          verdict: "in_tolerance",
        },
      ],
      warnings: [{ code: "few", message: "Only three readings." }],
    },
  },
  printer: "Marline",
  model: "Heron 300",
  serial: "RW-02",
  question: "Does X give before it springs?",
  how: ["Push, and read."],
  instrument: {
    name: "Dial 3",
    kind: "dial indicator",
    resolution: 0.01,
    u95: null,
    unit: "mm",
    checked_on: null,
    checked_against: "",
    check_due: null,
    found_off: "",
    doubt: "It was never checked.",
  },
  told: [{ words: "Indicator good to ±", value: "0.003", unit: "mm", origin: "instrument" }],
  rows: [
    ["force_n", "reading_mm"],
    ["5", "0.02"],
  ],
  more: 3,
  sha256: "",
  budget: {
    words: "Gives",
    quantity: q(0.03, 0.01, "mm"),
    lines: [
      { field: "indicator_u95_mm", words: "Indicator good to ±", told: 0.003, unit: "mm", u95: 0.003, share: 0.09 },
    ],
    rest_u95: 0.00954,
    rest_share: 0.91,
  },
  why_not: "",
  core: "0.6.1",
} as unknown as Schemas["Certificate"];

describe("a page for paper", () => {
  it("holds what a person typed within its quotes", () => {
    expect(quoted('A "slack" belt \\ & <x>')).toBe('"A \\"slack\\" belt \\\\ & \\3c x>"');
    const sheet = document.createElement("style");
    sheet.textContent = `${pageRule("A4", 'x" } body { display: none } @page { content: "')}`;
    expect(quoted("two\nlines")).toBe('"two\\a lines"');
    expect(sheet.textContent?.match(/size: A4/g)).toHaveLength(1);
  });

  const show = (t = TOLD) =>
    handle(
      <MeContext value={ME}>
        <Certificate />
      </MeContext>,
      [[["certificate", "7b49"], t]],
      { path: "/print/captures/7b49", route: "/print/captures/:id" },
    );

  it("certifies a figure with its doubt line by line, its instrument and its readings", () => {
    show();
    const words = document.body.textContent ?? "";
    for (const part of [
      "Gives: 0.030 ± 0.010 mm, Within its limits (limits: typical)",
      "Note: Only three readings.",
      "9.0 %",
      "Spread of the readings, and the method± 0.00954 mm91.0 %",
      "Together± 0.01 mm",
      "In doubtIt was never checked.",
      "And 3 rows more",
      "Indicator good to ±0.003 mmthe instrument",
    ])
      expect(words).toContain(part);
    expect(screen.getByText("not known")).toBeTruthy();
  });

  it("says why where today's core tells no budget", () => {
    show({ ...TOLD, budget: null, why_not: "The span is missing.", instrument: null });
    expect(document.body.textContent).toContain("Where the uncertainty comes from is not told: The span is missing.");
    expect(screen.getByText("None was named.")).toBeTruthy();
  });
});
