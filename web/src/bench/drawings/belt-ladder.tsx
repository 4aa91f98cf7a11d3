/** The corner's ripple over the turns, its parabola with the least, and the squared pitch with where it bends. */
import { scaleLinear } from "d3-scale";
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import type { Row } from "../../kit/ReadingsField";
import type { Shown } from "../drawing";

const W = 560;
const H = 270;

type Point = { turns: number; ripple: number; u95: number };

function OverTurns({ points, found }: { points: Point[]; found?: Schemas["BeltLadderResult"] }) {
  const next = found?.next_turns?.value;
  const ts = [...points.map((p) => p.turns), ...(next == null ? [] : [next])];
  const x = scaleLinear([Math.min(...ts) - 0.3, Math.max(...ts) + 0.3], [62, W - 14]);
  const top = Math.max(0.01, ...points.map((p) => p.ripple + p.u95)) * 1.12;
  const y = scaleLinear([0, top], [H - 38, 18]);
  const [c0 = 0, c1 = 0, c2 = 0] = found?.parabola ?? [];
  const [low, high] = [Math.min(...points.map((p) => p.turns)), Math.max(...points.map((p) => p.turns))];
  const fine = Array.from({ length: 61 }, (_, i) => low + ((high - low) * i) / 60);
  const best = found?.best_turns;
  return (
    <>
      {y.ticks(5).map((v) => (
        <g key={v}>
          <path d={`M58 ${y(v)}H${W - 14}`} stroke="var(--hair)" />
          <text x={54} y={y(v) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
            {v.toFixed(2)}
          </text>
        </g>
      ))}
      {x.ticks(8).map((v) => (
        <text key={v} x={x(v)} y={H - 20} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {v}
        </text>
      ))}
      <text x={4} y={13} fontSize={12} fill="var(--ink2)">
        ripple, mm
      </text>
      <text x={W - 14} y={H - 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
        turned in all, turns (tighter to the right)
      </text>
      {best ? (
        <g>
          <rect
            x={x(best.value - (best.u95 ?? 0))}
            y={18}
            width={Math.max(3, x(best.value + (best.u95 ?? 0)) - x(best.value - (best.u95 ?? 0)))}
            height={H - 56}
            fill="var(--go)"
            fillOpacity={0.14}
          />
          <text x={x(best.value)} y={13} textAnchor="middle" fontSize={13} fontWeight={600} fill="var(--go)">
            its own best
          </text>
        </g>
      ) : null}
      {found?.bends_at_turns ? (
        <g>
          <path
            d={`M${x(found.bends_at_turns.value)} 24V${H - 38}`}
            stroke="var(--off)"
            strokeWidth={2}
            strokeDasharray="3 4"
          />
          <text x={x(found.bends_at_turns.value) + 5} y={36} fontSize={12} fill="var(--off)">
            rings no higher from here
          </text>
        </g>
      ) : null}
      {found && c2 ? (
        <path
          d={fine.map((t, i) => `${i ? "L" : "M"}${x(t)} ${y(Math.max(0, c0 + c1 * t + c2 * t * t))}`).join("")}
          fill="none"
          stroke="var(--go)"
          strokeWidth={2}
        />
      ) : null}
      {points.map((p, i) => (
        <g key={i}>
          <path d={`M${x(p.turns)} ${y(p.ripple - p.u95)}V${y(p.ripple + p.u95)}`} stroke="var(--ink2)" />
          <circle cx={x(p.turns)} cy={y(p.ripple)} r={5} fill="var(--ink)" />
        </g>
      ))}
      {next == null ? null : (
        <g>
          <path d={`M${x(next)} ${H - 38}v-26m-6 8l6 -9l6 9`} stroke="var(--go)" strokeWidth={2.5} fill="none" />
          <text x={x(next)} y={H - 70} textAnchor="middle" fontSize={13} fontWeight={600} fill="var(--go)">
            next
          </text>
        </g>
      )}
    </>
  );
}

/** The next round goes to those that are there. */
export const goesOn = "Add a round";

export function sketch() {
  return { note: "Both belts of a pair alike" };
}

export function Live({ rows }: { rows: Row[] }) {
  const points = rows.map((r) => ({ turns: Number(r.turns_total), ripple: Number(r.ripple_mm), u95: 0 }));
  if (points.length < 2) return null;
  return (
    <svg viewBox={`0 0 ${W} ${H}`} className="block w-full" role="img" aria-label={`${points.length} rounds so far`}>
      <OverTurns points={points} />
    </svg>
  );
}

export function Result({ capture }: Shown) {
  const found = capture.found;
  if (found.procedure !== "belt-ladder") return null;
  const points = found.rounds.map((r) => ({
    turns: r.turns_total,
    ripple: r.residual.value,
    u95: r.residual.u95 ?? 0,
  }));
  return (
    <Figure
      name="belt-ladder"
      label={`Ripple over ${points.length} rounds; ${found.best_turns ? `least at ${found.best_turns.value.toFixed(2)} turns` : "the least is not enclosed yet"}`}
      width={W}
      height={H}
    >
      <OverTurns points={points} found={found} />
    </Figure>
  );
}
