/** Notes around a drawing: on both sides, none over another, in the order of what they point at. */
import { describe, expect, it } from "vitest";
import { callouts } from "./callouts";

const asked = (n: number) =>
  Array.from({ length: n }, (_, i) => ({
    place: String(i),
    height: 40 + ((i * 37) % 50),
    anchor: [(i * 71) % 320, (i * 113) % 290] as [number, number],
  }));

describe("notes around a drawing", () => {
  it.each([1, 2, 5, 12, 19])("of %i none covers another, and all fit in the height", (n) => {
    const rows = asked(n);
    const { notes, height } = callouts(rows);
    expect(notes).toHaveLength(n);
    for (const left of [true, false]) {
      const side = notes
        .filter((x) => x.left === left)
        .map((x) => ({ ...rows.find((r) => r.place === x.place)!, ...x }));
      for (const [i, note] of side.entries()) {
        expect(note.y + note.height).toBeLessThanOrEqual(height + 1e-9);
        if (!i) continue;
        const before = side[i - 1]!;
        expect(note.y).toBeGreaterThanOrEqual(before.y + before.height);
        expect(note.anchor[1]).toBeGreaterThanOrEqual(before.anchor[1]);
      }
    }
  });

  it("are shared so that neither side is much longer", () => {
    const { notes } = callouts(asked(14));
    const left = notes.filter((x) => x.left).length;
    expect(Math.abs(left - (14 - left))).toBeLessThanOrEqual(4);
  });
});
