/** The surface through heights, and its contour lines, against planes whose lines are known. */
import { describe, expect, it } from "vitest";
import { contour, contourStep, heightAt, surface } from "./surface";

const grid = (z: (x: number, y: number) => number) =>
  [0, 50, 100].flatMap((x) => [0, 50, 100].map((y) => ({ x, y, z: z(x, y) })));

describe("a surface", () => {
  it("goes through every place and stays between them", () => {
    const places = grid((x, y) => x / 100 - y / 50);
    for (const p of places) expect(heightAt(places, p.x, p.y)).toBeCloseTo(p.z, 6);
    const r = surface(places, 9);
    expect(Math.max(...r.z)).toBeLessThanOrEqual(1 + 1e-9);
    expect(Math.min(...r.z)).toBeGreaterThanOrEqual(-2 - 1e-9);
  });

  it("has the contour of a slope straight across, where its height says", () => {
    const raster = { n: 5, x0: 0, x1: 100, y0: 0, y1: 100, z: [] as number[] };
    for (let j = 0; j < 5; j++) for (let i = 0; i < 5; i++) raster.z.push(i * 25);
    const pieces = contour(raster, 30);
    expect(pieces).toHaveLength(4);
    for (const [a, , c] of pieces) expect([a, c]).toEqual([30, 30]);
    expect(contour(raster, 500)).toEqual([]);
  });

  it("has a line at every 1, 2 or 5 of a power of ten", () => {
    expect([0.3, 0.9, 2.2].map(contourStep).map((v) => Number(v.toPrecision(3)))).toEqual([0.1, 0.2, 0.5]);
  });
});
