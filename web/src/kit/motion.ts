/** Where the parts of a motion system lie in space, by kinematics. Pure geometry; the sketch draws it. */
import type { Schemas } from "../api/client";

/** As much of a motion system as is drawn: what a description, and the floor's outline, both tell. */
export type Description = {
  kinematics: Schemas["Description"]["kinematics"];
  transmissions: Record<string, { kind: string }>;
};
type P3 = [number, number, number];
export type P2 = [number, number];

export type Drawn = {
  frame: P2[][];
  rails: P2[][];
  plates: P2[][];
  belts: Record<string, { loop: P2[]; pulleys: P2[]; span: [P2, P2]; label: P2 }>;
  screws: Record<string, [P2, P2]>;
  head: P2[];
};

/** Oblique view: x to the right, y away, z up. The room is 200 x 160 x 200. */
const at = ([x, y, z]: P3): P2 => [24 + x + 0.42 * y, 262 - z * 0.92 - 0.34 * y];
const line = (...p: P3[]) => p.map(at);
const box = (z: number): P3[] => [
  [0, 0, z],
  [200, 0, z],
  [200, 160, z],
  [0, 160, z],
  [0, 0, z],
];
const plate = (x0: number, x1: number, y0: number, y1: number, z: number): P2[] =>
  line([x0, y0, z], [x1, y0, z], [x1, y1, z], [x0, y1, z], [x0, y0, z]);

type BeltPath = { loop: P3[]; pulleys: P3[]; span: [P3, P3]; label: P3 };

const straight = (from: P3, to: P3, lift = 9): BeltPath => {
  const up = (p: P3, by: number): P3 => [p[0], p[1], p[2] + by];
  return {
    loop: [up(from, lift), up(to, lift), up(to, -lift), up(from, -lift), up(from, lift)],
    pulleys: [from, to],
    span: [up(from, lift), up(to, lift)],
    label: to,
  };
};

const upright = (x: number, y: number, z0: number, z1: number): BeltPath => ({
  loop: [
    [x - 6, y, z0],
    [x - 6, y, z1],
    [x + 6, y, z1],
    [x + 6, y, z0],
    [x - 6, y, z0],
  ],
  pulleys: [
    [x, y, z0],
    [x, y, z1],
  ],
  span: [
    [x - 6, y, z0],
    [x - 6, y, z1],
  ],
  label: [x, y, z1],
});

function belts(kinematics: Description["kinematics"]): Record<string, BeltPath> {
  const z = 186;
  switch (kinematics) {
    case "corexy":
      return {
        a: {
          loop: [
            [84, 93, z],
            [11, 93, z],
            [11, 156, z],
            [0, 156, z],
            [0, 0, z],
            [189, 0, z],
            [189, 70, z],
            [116, 70, z],
          ],
          pulleys: [
            [11, 93, z],
            [5, 156, z],
            [0, 0, z],
            [189, 0, z],
            [189, 70, z],
          ],
          span: [
            [0, 156, z],
            [0, 0, z],
          ],
          label: [0, 0, z],
        },
        b: {
          loop: [
            [116, 93, z],
            [189, 93, z],
            [189, 156, z],
            [200, 156, z],
            [200, 6, z],
            [11, 6, z],
            [11, 70, z],
            [84, 70, z],
          ],
          pulleys: [
            [189, 93, z],
            [195, 156, z],
            [200, 6, z],
            [11, 6, z],
            [11, 70, z],
          ],
          span: [
            [200, 156, z],
            [200, 6, z],
          ],
          label: [200, 6, z],
        },
      };
    case "bed_slinger":
      return { x: straight([14, 80, 118], [186, 80, 118]), y: straight([100, 152, 10], [100, 4, 10], 7) };
    case "fixed_bed": {
      const y1 = straight([6, 152, 158], [6, 6, 158], 8);
      return {
        x: straight([20, 80, 158], [180, 80, 158]),
        y: y1,
        y1,
        y2: straight([194, 152, 158], [194, 6, 158], 8),
      };
    }
    case "delta":
      return { t1: upright(14, 20, 24, 196), t2: upright(186, 20, 24, 196), t3: upright(100, 150, 24, 196) };
    default:
      return {
        x: straight([20, 112, 128], [180, 112, 128]),
        y: {
          loop: [
            [-2, 60, 48],
            [-2, 146, 172],
            [-2, 136, 178],
            [-2, 50, 54],
            [-2, 60, 48],
          ],
          pulleys: [
            [-2, 55, 51],
            [-2, 141, 175],
          ],
          span: [
            [-2, 60, 48],
            [-2, 146, 172],
          ],
          label: [-2, 141, 175],
        },
        z: straight([212, 150, 30], [212, 8, 30], 10),
      };
  }
}

const SCREWS: Record<string, P3> = { z1: [10, 80, 0], z2: [190, 80, 0], z3: [100, 158, 0], z4: [100, 4, 0] };

/** Where a place of a machine is on its drawing: what a note about it points at. Of a place that is not drawn, the frame's foot. */
export function anchor(d: Description, place: string): P2 {
  const k = d.kinematics;
  const drawn = layout(d);
  const belt = drawn.belts[place];
  if (belt) return belt.label;
  const screw = drawn.screws[place];
  if (screw) return [(screw[0][0] + screw[1][0]) / 2, (screw[0][1] + screw[1][1]) / 2];
  const [head, top] = [drawn.head[0]!, drawn.head[2]!];
  const rail = { bed_slinger: 104, fixed_bed: 148, corexy: 178, belt_bed: 122, delta: 128 }[k];
  const bed = { bed_slinger: 26, delta: 14, belt_bed: 34, corexy: 60, fixed_bed: 60 }[k];
  const fixed: Record<string, P2> = {
    x: at([150, 80, rail]),
    y: k === "bed_slinger" ? at([130, 40, 4]) : at([4, 130, rail]),
    z: at([200, k === "bed_slinger" ? 80 : 160, 60]),
    bed: at([140, 30, bed]),
    frame: at([0, 0, 30]),
    head: [(head[0] + top[0]) / 2, head[1]],
    e: [(head[0] + top[0]) / 2, top[1]],
    all: at([120, 0, 0]),
  };
  return fixed[place] ?? at([0, 0, 0]);
}

/** A little part on the bed with one wall of it lit, and an arrow across that wall: whose motion its ripples are. */
export function wallOn(k: Description["kinematics"], runs: "x" | "y"): { part: P2[][]; face: P2[]; arrow: [P2, P2] } {
  const z = { bed_slinger: 26, delta: 14, belt_bed: 34, corexy: 60, fixed_bed: 60 }[k];
  const [x0, x1, y0, y1, top] = k === "delta" ? [76, 126, 40, 84, z + 34] : [66, 136, 44, 108, z + 44];
  const front = line([x0, y0, z], [x1, y0, z], [x1, y0, top], [x0, y0, top], [x0, y0, z]);
  const right = line([x1, y0, z], [x1, y1, z], [x1, y1, top], [x1, y0, top], [x1, y0, z]);
  const lid = line([x0, y0, top], [x1, y0, top], [x1, y1, top], [x0, y1, top], [x0, y0, top]);
  const middle = (z + top) / 2;
  return {
    part: [front, right, lid],
    face: runs === "x" ? front : right,
    arrow:
      runs === "x"
        ? [at([(x0 + x1) / 2, y0 - 42, middle]), at([(x0 + x1) / 2, y0 + 30, middle])]
        : [at([x1 - 34, (y0 + y1) / 2, middle]), at([x1 + 40, (y0 + y1) / 2, middle])],
  };
}

/** Lay out a machine: only the belts and screws that its description names. */
export function layout(d: Description): Drawn {
  const k = d.kinematics;
  const paths = belts(k);
  const drawn: Drawn = { frame: [], rails: [], plates: [], belts: {}, screws: {}, head: [] };
  for (const [place, drive] of Object.entries(d.transmissions)) {
    const path = paths[place];
    if (drive.kind === "belt" && path) {
      drawn.belts[place] = {
        loop: path.loop.map(at),
        pulleys: path.pulleys.map(at),
        span: [at(path.span[0]), at(path.span[1])],
        label: at(path.label),
      };
    } else if (drive.kind === "screw") {
      const foot = SCREWS[place] ?? SCREWS.z1!;
      drawn.screws[place] = [at([foot[0], foot[1], 6]), at([foot[0], foot[1], k === "bed_slinger" ? 190 : 150])];
    }
  }
  const posts = (y: number[]) => y.flatMap((v) => [line([0, v, 0], [0, v, 200]), line([200, v, 0], [200, v, 200])]);
  const head = (x: number, y: number, z: number) =>
    line(
      [x - 15, y - 8, z - 18],
      [x + 15, y - 8, z - 18],
      [x + 15, y - 8, z + 16],
      [x - 15, y - 8, z + 16],
      [x - 15, y - 8, z - 18],
    );
  if (k === "bed_slinger") {
    drawn.frame = [line(...box(0)), ...posts([80]), line([0, 80, 200], [200, 80, 200])];
    drawn.rails = [
      line([10, 80, 104], [190, 80, 104]),
      line([70, 0, 4], [70, 160, 4]),
      line([130, 0, 4], [130, 160, 4]),
    ];
    drawn.plates = [plate(30, 170, 16, 144, 26)];
    drawn.head = head(92, 78, 112);
  } else if (k === "delta") {
    const tri = (z: number) => line([14, 20, z], [186, 20, z], [100, 150, z], [14, 20, z]);
    drawn.frame = [
      tri(8),
      tri(206),
      ...(
        [
          [14, 20],
          [186, 20],
          [100, 150],
        ] as const
      ).map(([x, y]) => line([x, y, 8], [x, y, 206])),
    ];
    drawn.rails = (
      [
        [14, 20],
        [186, 20],
        [100, 150],
      ] as const
    ).map(([x, y]) => line([x, y, 128], [100, 62, 62]));
    drawn.plates = [plate(50, 150, 22, 104, 14)];
    drawn.head = head(100, 62, 56);
  } else if (k === "belt_bed") {
    drawn.frame = [
      line(...box(0)),
      line([0, 50, 40], [0, 146, 184]),
      line([200, 50, 40], [200, 146, 184]),
      line([0, 146, 184], [200, 146, 184]),
    ];
    drawn.rails = [line([8, 108, 122], [192, 108, 122])];
    drawn.plates = [plate(10, 190, 6, 154, 34), ...[30, 60, 90, 120].map((y) => line([10, y, 34], [190, y, 34]))];
    drawn.head = head(104, 108, 118);
  } else {
    drawn.frame = [line(...box(0)), line(...box(200)), ...posts([0, 160])];
    const z = k === "corexy" ? 178 : 148;
    drawn.rails = [line([4, 0, z], [4, 160, z]), line([196, 0, z], [196, 160, z]), line([6, 80, z], [194, 80, z])];
    drawn.plates = [plate(28, 172, 16, 144, 60)];
    drawn.head = head(100, 82, z);
  }
  return drawn;
}
