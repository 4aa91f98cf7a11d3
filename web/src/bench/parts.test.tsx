/** Test parts as the bench offers them: their files, their sheet, and why one cannot be made. */
import { describe, expect, it } from "vitest";
import { draw, type Known } from "../tests/draw";
import { PartOf, PartsPage } from "./Parts";

const part = (name: string, more: object = {}) => ({
  name,
  title: `The ${name}`,
  words: "Of our own.",
  procedure: name === "bar" ? "dimensions" : null,
  place: name === "bar" ? "all" : null,
  width_mm: 90,
  depth_mm: 104,
  places: name === "bar" ? 25 : 0,
  why_not: "",
  ...more,
});
const parts = [part("bar"), part("thread"), part("frame", { width_mm: null, why_not: "The bed is too small." })];
const known: Known = [
  [["parts", 4], parts],
  [["bench", 4], { printer_id: 4, printer: "Halyard", entries: [] }],
];

describe("test parts", () => {
  it("stand with their size, their files, and a sheet where something is measured on them", () => {
    const text = draw(<PartsPage />, known, { path: "/bench/4/parts", route: "/bench/:id/parts" });
    expect(text).toContain("Parts to print on Halyard");
    expect(text).toContain("90 × 104 mm");
    expect(text.match(/Measuring sheet of The \w+/g)).toEqual(Array(2).fill("Measuring sheet of The bar"));
    expect(text).toContain("The bed is too small.");
  });

  it("is offered beside the measurement that reads it, and nowhere else", () => {
    expect(draw(<PartOf id={4} procedure="dimensions" />, known)).toContain("The bar.");
    expect(draw(<PartOf id={4} procedure="drag" />, known)).toBe("");
  });
});
