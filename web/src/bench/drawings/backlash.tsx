/** Deviation at each target, from below and from above: their distance is the play. */
import { scaleLinear } from "d3-scale";
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import type { Row } from "../../kit/ReadingsField";
import type { Planned, Shown } from "../drawing";

const W = 560;

/** Readings as they come in, so that a slip is seen at once: each deviation at its target, from which side. */
function ReversalLive({ readings }: { readings: Schemas["Reversal"][] }) {
  if (readings.length < 2) return null;
  const off = readings.map((r) => r.reading_mm - r.target_mm);
  const reach = Math.max(0.01, ...off.map(Math.abs)) * 1.2;
  const targets = readings.map((r) => r.target_mm);
  const x = scaleLinear([Math.min(...targets), Math.max(...targets) + 1e-9], [84, W - 30]);
  const y = scaleLinear([-reach, reach], [120, 14]);
  return (
    <svg
      viewBox={`0 0 ${W} 146`}
      className="block w-full"
      role="img"
      aria-label={`${readings.length} deviations so far`}
    >
      <path d={`M60 ${y(0)}H${W - 8}`} stroke="var(--line)" />
      {[-reach, reach].map((v) => (
        <text key={v} x={55} y={y(v) + 5} textAnchor="end" fontSize={12} fill="var(--ink2)">
          {v.toFixed(2)}
        </text>
      ))}
      {readings.map((r, i) => {
        const at = x(r.target_mm) + (r.approach === "+" ? -5 : 5);
        return r.approach === "+" ? (
          <circle key={i} cx={at} cy={y(off[i]!)} r={4.5} fill="var(--ink)" fillOpacity={0.7} />
        ) : (
          <rect
            key={i}
            x={at - 4.5}
            y={y(off[i]!) - 4.5}
            width={9}
            height={9}
            fill="none"
            stroke="var(--go)"
            strokeWidth={2}
          />
        );
      })}
      {[...new Set(targets)].map((t) => (
        <text key={t} x={x(t)} y={138} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {t}
        </text>
      ))}
    </svg>
  );
}

export function ReversalPlot({ found }: { found: Schemas["BacklashResult"] }) {
  const rows = found.per_target;
  const all = rows.flatMap((r) => [
    r.mean_plus_mm + 2 * r.s_plus_mm,
    r.mean_plus_mm - 2 * r.s_plus_mm,
    r.mean_minus_mm + 2 * r.s_minus_mm,
    r.mean_minus_mm - 2 * r.s_minus_mm,
  ]);
  const reach = Math.max(0.01, ...all.map(Math.abs)) * 1.15;
  const x = scaleLinear([rows[0]!.target_mm, rows[rows.length - 1]!.target_mm || 1], [84, W - 30]);
  const y = scaleLinear([-reach, reach], [190, 20]);
  const side = (r: (typeof rows)[number], plus: boolean) => {
    const [mean, s] = plus ? [r.mean_plus_mm, r.s_plus_mm] : [r.mean_minus_mm, r.s_minus_mm];
    const at = x(r.target_mm) + (plus ? -5 : 5);
    return (
      <g key={`${r.target_mm}${plus}`} stroke={plus ? "var(--ink)" : "var(--go)"}>
        <path d={`M${at} ${y(mean - 2 * s)}V${y(mean + 2 * s)}`} strokeWidth={1.6} />
        {plus ? (
          <circle cx={at} cy={y(mean)} r={5} fill="var(--ink)" />
        ) : (
          <rect x={at - 5} y={y(mean) - 5} width={10} height={10} fill="var(--sheet)" strokeWidth={2.4} />
        )}
      </g>
    );
  };
  return (
    <Figure
      name="reversal"
      label={`Deviation at ${rows.length} targets from both sides; the largest difference is ${found.reversal_value.value.toFixed(3)} millimetres`}
      width={W}
      height={232}
    >
      {y.ticks(5).map((v) => (
        <g key={v}>
          <path d={`M60 ${y(v)}H${W - 8}`} stroke={v === 0 ? "var(--line)" : "var(--hair)"} />
          <text x={55} y={y(v) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
            {v.toFixed(2)}
          </text>
        </g>
      ))}
      <text x={4} y={13} fontSize={12} fill="var(--ink2)">
        mm off
      </text>
      {rows.map((r) => (
        <text key={r.target_mm} x={x(r.target_mm)} y={207} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {r.target_mm}
        </text>
      ))}
      {rows.map((r) => side(r, true))}
      {rows.map((r) => side(r, false))}
      <circle cx={70} cy={222} r={5} fill="var(--ink)" />
      <text x={80} y={227} fontSize={13} fill="var(--ink)">
        from below (+)
      </text>
      <rect x={189} y={217} width={10} height={10} fill="var(--sheet)" stroke="var(--go)" strokeWidth={2.4} />
      <text x={205} y={227} fontSize={13} fill="var(--ink)">
        from above (−); bars are two standard deviations
      </text>
    </Figure>
  );
}

/** Targets and sides in the order in which the program stops at them: up through all (+), then down (−). */
export function plan(moves: Record<string, number>): Planned[] {
  const whole = (name: string) => Math.min(20, Math.max(1, Math.round(moves[name] ?? 1)));
  const { start_mm = 0, step_mm = 1 } = moves;
  const up = Array.from({ length: whole("targets") }, (_, i) => Number((start_mm + i * step_mm).toFixed(4)));
  const at = (target_mm: number, approach: "+" | "-"): Planned => ({
    row: { target_mm, approach },
    words: `${target_mm} mm, from ${approach === "+" ? "below (+)" : "above (−)"}`,
  });
  const cycle = [...up.map((t) => at(t, "+")), ...[...up].reverse().map((t) => at(t, "-"))];
  return Array.from({ length: whole("cycles") }, () => cycle).flat();
}

export function sketch() {
  return { note: "Indicator on the head" };
}

export function Live({ rows }: { rows: Row[] }) {
  return <ReversalLive readings={rows as unknown as Schemas["Reversal"][]} />;
}

export function Result({ capture }: Shown) {
  return capture.found.procedure === "backlash" ? <ReversalPlot found={capture.found} /> : null;
}
