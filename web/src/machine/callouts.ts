/** Where notes about the places of a machine stand around its drawing, each on the nearer side, in the order of what they point at. */
import type { P2 } from "../kit/motion";

export type Asked = { place: string; height: number; anchor: P2 };
export type Callout = { place: string; left: boolean; y: number };

/** Room between two notes. */
const GAP = 7;

/** Share the notes between the two sides so that neither is much longer; none covers another. */
export function callouts(asked: Asked[]): { notes: Callout[]; height: number } {
  const across = [...asked].sort((a, b) => a.anchor[0] - b.anchor[0]);
  const all = sum(across);
  const left: Asked[] = [];
  while (across.length && sum(left) + across[0]!.height / 2 <= all / 2) left.push(across.shift()!);
  const height = Math.max(long(left), long(across));
  const notes = [left, across].flatMap((side, i) => {
    // What a side has to spare stands between its notes.
    const spare = side.length > 1 ? Math.min((height - long(side)) / (side.length - 1), 24) : 0;
    let y = 0;
    return [...side]
      .sort((a, b) => a.anchor[1] - b.anchor[1])
      .map((a) => {
        const note = { place: a.place, left: i === 0, y };
        y += a.height + GAP + spare;
        return note;
      });
  });
  return { notes, height };
}

const sum = (rows: Asked[]) => rows.reduce((s, a) => s + a.height, 0);
const long = (rows: Asked[]) => sum(rows) + GAP * Math.max(0, rows.length - 1);
