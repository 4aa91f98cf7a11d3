/** Describing a model: values at their paths, limits by row, and what the sheet shows. */
import { beforeEach, describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { draw, withoutBrowser } from "../tests/draw";
import { nameOf, valueAt, withValue } from "./draft";
import { limitRows, limitsOf } from "./Limits";
import { Sheet } from "./Sheet";
import { worth } from "./WorkshopPage";

beforeEach(withoutBrowser);

describe("a description in the making", () => {
  const told = { transmissions: { x: { kind: "belt", teeth: 20 } }, fans: [{ name: "a" }, { name: "b" }] };
  it("takes a value at its path, and leaves what was given as it was", () => {
    const next = withValue(told, ["transmissions", "x", "spans", 0, "span_mm"], 240);
    expect(valueAt(next, ["transmissions", "x", "spans", 0, "span_mm"])).toBe(240);
    expect(valueAt(told, ["transmissions", "x", "spans"])).toBeUndefined();
    expect(nameOf(["bed", "screws", 1, "x_mm"])).toBe("bed.screws.1.x_mm");
  });
  it("takes a value out, and a row with all that is in it", () => {
    expect(withValue(told, ["transmissions", "x", "teeth"], undefined).transmissions).toEqual({ x: { kind: "belt" } });
    expect(withValue(told, ["fans", 0], undefined).fans).toEqual([{ name: "b" }]);
  });
});

describe("what was learned of a look", () => {
  const look = { label: "Rock test by hand", should: 4, saw: 1, minutes: 9.6, times: 4, typical: 2 };
  it("is how often it saw what was there, and what it took beside what is typical", () => {
    expect(worth(look)).toBe("rock test by hand saw 1 of 4, took 10 minutes (typical 2)");
    expect(worth({ ...look, should: 0, saw: 0 })).toBe("rock test by hand took 10 minutes (typical 2)");
    expect(worth({ ...look, minutes: null, times: 0 })).toBe("rock test by hand saw 1 of 4");
  });
});

describe("limits", () => {
  const kinds = [
    { what: "tension", words: "Tension of a belt", unit: "N", side: "band" },
    { what: "tracking", words: "A belt may wander", unit: "mm", side: "high" },
  ] as Schemas["LimitKind"][];
  const before = [
    { what: "tension", place: "a", low: 24, high: 36, unit: "N", source: "manual" },
    { what: "tracking", place: "b", low: null, high: 0.1, unit: "mm", source: "ours" },
  ] as Schemas["LimitTold"][];
  it("stand a row each belt's tension, and one for each other", () => {
    const rows = limitRows(kinds, ["a", "b"], before);
    expect(rows.map((r) => [r.kind.what, r.place, r.low, r.high])).toEqual([
      ["tension", "a", "24", "36"],
      ["tension", "b", "", ""],
      ["tracking", "all", "", ""],
    ]);
  });
  it("are kept as they are told; those of other places stay", () => {
    const rows = limitRows(kinds, ["a", "b"], before);
    rows[2]!.high = "0,3";
    const { limits, wrong } = limitsOf(rows, before, kinds);
    expect(wrong).toEqual({});
    expect(limits.map((l) => [l.what, l.place, l.low, l.high])).toEqual([
      ["tracking", "b", null, 0.1],
      ["tension", "a", 24, 36],
      ["tracking", "all", null, 0.3],
    ]);
  });
  it("that are upside down or no figures are said at their row", () => {
    const rows = limitRows(kinds, ["a"], before);
    rows[0]!.low = "40";
    rows[1]!.high = "wide";
    expect(limitsOf(rows, before, kinds).wrong).toEqual({
      "tension-a": "The lower must be below the upper.",
      "tracking-all": "Enter a figure above zero.",
    });
  });
});

it("the sheet says what is typical, and what makes no sense at its figure", () => {
  const field = (path: (string | number)[], title: string, more = {}) => ({
    path,
    name: String(path[path.length - 1]),
    title,
    unit: "mm",
    hint: "",
    kind: "figure",
    choices: [],
    low: 0,
    high: 100,
    above: false,
    when: null,
    when_is: [],
    optional: true,
    more: false,
    value: 6,
    origin: "typical",
    ...more,
  });
  const sections = [
    {
      key: "x",
      title: "Belt X",
      note: "Its run.",
      lit: "x",
      fields: [field(["transmissions", "x", "width_mm"], "Width")],
      rows: 0,
      at: [],
      blank: {},
      folded: false,
    },
    {
      key: "fans",
      title: "Fans",
      note: "Each.",
      lit: null,
      fields: [field(["fans", 0, "rpm"], "Turns", { origin: "model" })],
      rows: 3,
      at: ["fans"],
      blank: {},
      folded: true,
    },
  ] as never;
  const nothing = () => undefined;
  const remarks = { "fans.0.rpm": { words: "So fast?", grave: false } };
  const text = draw(
    <Sheet
      sections={sections}
      texts={{}}
      error={null}
      remarks={remarks}
      onText={nothing}
      onAdd={nothing}
      onRemove={nothing}
      onEnter={nothing}
    />,
  );
  expect(text).toContain("Width, mm Typical.");
  expect(text).toContain("Is this so? So fast?");
  expect(text).toContain("take out");
  expect(text).toContain("Add one");
});
