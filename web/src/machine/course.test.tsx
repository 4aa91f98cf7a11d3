/** The course of a figure in a sentence, and the next quarter month by month. */
import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { draw } from "../tests/draw";
import { byMonth, QuarterPage } from "../workshop/QuarterPage";
import { together, told } from "./Course";

type Told = Schemas["CourseOut"];
const q = (value: number, u95: number, unit: string, low: number | null = null, high: number | null = null) => ({ value, u95, unit, low, high, own: null, shared: null }); // biome-ignore format: a row
const course = (found: object | null, more: Partial<Told> = {}): Told => ({
  words: "Tension",
  unit: "N",
  low: 20,
  high: 40,
  over: "hours",
  points: [],
  touched: [],
  found: found as Told["found"],
  soonest: null,
  latest: null,
  ...more,
});

const quarter = (rows: Schemas["ExpectedOut"][], more = 0) => ({ rows, more, as_of: new Date().toISOString() });

describe("the course of a figure", () => {
  it("says when it reaches its limit, and on which days", () => {
    const words = told(
      course(
        { points_used: 6, rate_per_100h: q(-1.6, 0.2, "N/100h"), hours_to_limit: q(375, 60, "h", 310, 450) },
        { soonest: "2027-01-12T00:00:00Z", latest: "2027-03-03T00:00:00Z" },
      ),
    );
    expect(words).toContain(
      "−1.6 ± 0.2 N in 100 hours: it reaches its limit in 310 to 450 hours from the last reading.",
    );
    expect(words).toContain("between");
  });

  it("claims nothing from few readings, nor from a rate inside its uncertainty", () => {
    expect(told(course({ points_used: 2, rate_per_100h: null }))).toBe(
      "2 readings since it was last touched: from four on it is told where it goes.",
    );
    expect(told(course({ points_used: 6, rate_per_100h: q(0.1, 0.4, "N/100h"), hours_to_limit: null }))).toContain(
      "It holds: +0.10 ± 0.4 N in 100 hours, within its own uncertainty.",
    );
  });

  it("credits nobody where two things were done between two readings", () => {
    const points = ["2026-05-01", "2026-06-01", "2026-07-01"].map((d) => ({ at: `${d}T00:00:00Z`, x: 0, value: 1, u95: null, capture_id: d })); // biome-ignore format: a row
    const done = (d: string, words: string) => ({ at: `${d}T00:00:00Z`, x: 0, words });
    const one = [done("2026-05-10", "a belt was set"), done("2026-05-11", "a belt was set")];
    expect(together(course(null, { points, touched: one }))).toEqual([]);
    const [said, ...more] = together(
      course(null, { points, touched: [...one, done("2026-05-20", "the head was changed")] }),
    );
    expect(said).toMatch(/^Between .* a belt was set and the head was changed: .* neither is credited\.$/);
    expect(more).toEqual([]);
  });

  it("says what has no end, and what is past it", () => {
    expect(
      told(course({ points_used: 6, rate_per_100h: q(-1.6, 0.2, "x"), hours_to_limit: q(375, 60, "h", 310, null) })),
    ).toContain("in 310 or more hours");
    expect(
      told(course({ points_used: 6, rate_per_100h: q(-1.6, 0.2, "x"), hours_to_limit: q(0, 0, "h", 0, 0) })),
    ).toContain("Past its limit");
  });
});

describe("the next quarter", () => {
  const row = (label: string, by: string, more = {}): Schemas["ExpectedOut"] => ({
    printer_id: 1,
    printer: "Bowline",
    label,
    place: "e",
    by,
    why: "It is past its expected life.",
    chance: null,
    low: null,
    high: null,
    component_id: 4,
    procedure: "",
    ...more,
  });

  it("puts what is overdue first, then month by month", () => {
    const rows = [row("Liner", "2020-01-01"), row("Nozzle", "2099-03-05"), row("Plate", "2099-03-28")];
    expect(byMonth(rows).map(([when, list]) => [when, list.length])).toEqual([
      ["Now", 1],
      [expect.stringContaining("2099"), 2],
    ]);
    const text = draw(<QuarterPage />, [
      [["forecast"], quarter([row("Nozzle", "2099-03-05", { chance: 0.62, low: 0.3, high: 0.9 })], 3)],
    ]);
    expect(text).toContain("62 % (30 % to 90 %)");
    expect(text).toContain("Nozzle");
  });

  it("says what it takes to know", () => {
    expect(draw(<QuarterPage />, [[["forecast"], quarter([])]])).toContain("read at least twice");
  });
});
