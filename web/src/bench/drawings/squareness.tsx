/** The parallelogram that a leaning axis makes of a square, drawn larger than it leans, with both diagonals. */
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import type { Shown } from "../drawing";

const W = 560;
const H = 320;

type Leaning = Schemas["SquarenessResult"] | Schemas["SquareReversalResult"];

/** What the figure's lean is drawn as, so that it is seen: at the most an eighth of its height. */
export function drawnTimes(tan: number): number {
  const factor = 0.125 / Math.max(Math.abs(tan), 1e-6);
  return factor < 1 ? 1 : factor > 400 ? 400 : Number(factor.toPrecision(1));
}

export function Skewed({ found, wide, tall, name }: { found: Leaning; wide: number; tall: number; name: string }) {
  const tan = found.skew_factor.value;
  const times = drawnTimes(tan);
  const scale = Math.min(320 / wide, 220 / tall);
  const [w, h] = [wide * scale, tall * scale];
  const shift = tan * times * h;
  const [x0, y0] = [(W - w - shift) / 2, 26 + h];
  const [first, second] = [found.plane[0]!.toUpperCase(), found.plane[1]!.toUpperCase()];
  const corner = {
    A: [x0, y0],
    B: [x0 + w, y0],
    C: [x0 + w + shift, y0 - h],
    D: [x0 + shift, y0 - h],
  } as const;
  const at = (c: keyof typeof corner) => corner[c].join(" ");
  const diagonals = "diagonal_ac" in found ? [found.diagonal_ac.value, found.diagonal_bd.value] : null;
  return (
    <Figure
      name={name}
      label={`${second} leans ${tan > 0 ? "toward" : "away from"} +${first} by ${Math.abs(found.lean_mm_per_100.value).toFixed(2)} mm per 100 mm, drawn ${times} times`}
      width={W}
      height={H}
    >
      <path d={`M${x0} ${y0}H${x0 + w}V${y0 - h}H${x0}Z`} fill="none" stroke="var(--line)" strokeDasharray="5 5" />
      <path
        d={`M${at("A")}L${at("B")}L${at("C")}L${at("D")}Z`}
        fill="var(--ink)"
        fillOpacity={0.05}
        stroke="var(--ink)"
        strokeWidth={2.5}
      />
      {diagonals ? (
        <>
          <path d={`M${at("A")}L${at("C")}`} stroke="var(--go)" strokeWidth={1.8} />
          <path d={`M${at("B")}L${at("D")}`} stroke="var(--go)" strokeWidth={1.8} strokeDasharray="7 4" />
        </>
      ) : null}
      {(Object.keys(corner) as (keyof typeof corner)[]).map((c) => (
        <text
          key={c}
          x={corner[c][0] + (c === "B" || c === "C" ? 10 : -10)}
          y={corner[c][1] + (c === "A" || c === "B" ? 16 : -6)}
          textAnchor={c === "B" || c === "C" ? "start" : "end"}
          fontSize={16}
          fontWeight={600}
          fill="var(--ink)"
        >
          {c}
        </text>
      ))}
      {diagonals ? (
        <g fontSize={13} fill="var(--ink)">
          <text x={12} y={24}>
            A to C {diagonals[0]!.toFixed(2)} mm
          </text>
          <text x={12} y={44}>
            B to D {diagonals[1]!.toFixed(2)} mm (dashes)
          </text>
        </g>
      ) : null}
      <text x={W / 2} y={H - 8} textAnchor="middle" fontSize={12} fill="var(--ink2)">
        {first} to the right, {second} up; the lean is drawn {times} times, the square beneath it in dashes
      </text>
    </Figure>
  );
}

export function sketch() {
  return { note: "A at the origin, B along the first axis, D along the second" };
}

export function Result({ capture }: Shown) {
  const found = capture.found;
  if (found.procedure !== "squareness") return null;
  return <Skewed found={found} wide={found.width_mm} tall={found.height_mm} name="squareness" />;
}
