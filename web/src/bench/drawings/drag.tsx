/** The force over the travel, its median, the line over which a place binds, and the tight places. */
import { scaleLinear } from "d3-scale";
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import type { Shown } from "../drawing";

const W = 560;
const H = 250;

function ForceOverTravel({ found }: { found: Schemas["DragResult"] }) {
  const rows = found.readings;
  const binds = found.judged?.[1]?.limits?.high ?? null;
  const top = 1.15 * Math.max(found.worst_force.value, binds ?? 0);
  const from = rows.map((r) => r.position_mm);
  const x = scaleLinear([Math.min(...from), Math.max(...from)], [56, W - 14]);
  const y = scaleLinear([0, top], [H - 34, 18]);
  const tight = found.binding.map((t) =>
    t.to_mm > t.from_mm ? `from ${t.from_mm.toFixed(0)} to ${t.to_mm.toFixed(0)}` : `at ${t.from_mm.toFixed(0)}`,
  );
  const line = (value: number, words: string, dashes?: string) => (
    <g>
      <path d={`M56 ${y(value)}H${W - 14}`} stroke="var(--ink2)" strokeDasharray={dashes} />
      <text x={W - 16} y={y(value) - 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
        {words}
      </text>
    </g>
  );
  return (
    <Figure
      name="drag"
      label={`Force at ${rows.length} places, ${found.worst_force.value.toFixed(1)} newtons at the most; ${
        tight.length ? `tight ${tight.join(" and ")} millimetres` : "tight nowhere"
      }`}
      width={W}
      height={H}
    >
      {found.binding.map((t) => {
        const wide = Math.max(10, x(t.to_mm) - x(t.from_mm) + 10);
        const middle = (x(t.from_mm) + x(t.to_mm)) / 2;
        return (
          <g key={t.from_mm}>
            <rect x={middle - wide / 2} y={18} width={wide} height={H - 52} fill="var(--off)" fillOpacity={0.14} />
            <text x={middle} y={13} textAnchor="middle" fontSize={13} fontWeight={600} fill="var(--off)">
              tight
            </text>
          </g>
        );
      })}
      {y.ticks(4).map((v) => (
        <g key={v}>
          <path d={`M52 ${y(v)}H${W - 14}`} stroke="var(--hair)" />
          <text x={48} y={y(v) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
            {v}
          </text>
        </g>
      ))}
      {x.ticks(8).map((v) => (
        <text key={v} x={x(v)} y={H - 18} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {v}
        </text>
      ))}
      <text x={4} y={13} fontSize={12} fill="var(--ink2)">
        N
      </text>
      <text x={W - 14} y={H - 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
        place, mm
      </text>
      {line(found.median_force.value, "median")}
      {binds !== null ? line(binds, "binds over this", "5 4") : null}
      {rows.map((r, i) => (
        <circle key={i} cx={x(r.position_mm)} cy={y(r.force_n)} r={4.5} fill="var(--ink)" fillOpacity={0.75} />
      ))}
    </Figure>
  );
}

export function sketch() {
  return { note: "Scale on the carriage" };
}

export function Result({ capture }: Shown) {
  return capture.found.procedure === "drag" ? <ForceOverTravel found={capture.found} /> : null;
}
