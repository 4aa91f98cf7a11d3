/** The loop of a push and a pull: what the head gives over the force, its two straight branches, and the dead band between them. */
import { scaleLinear } from "d3-scale";
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import type { Row } from "../../kit/ReadingsField";
import type { Shown } from "../drawing";

const W = 560;
const H = 300;

type Reading = Schemas["PlayReading"];

function scales(rows: Reading[]) {
  const force = Math.max(1, ...rows.map((r) => Math.abs(r.force_n)));
  const at = rows.map((r) => r.displacement_mm);
  const [low, high] = [Math.min(...at), Math.max(...at)];
  const room = Math.max(0.01, high - low) * 0.1;
  return {
    x: scaleLinear([-force, force], [64, W - 14]),
    y: scaleLinear([low - room, high + room], [H - 36, 16]),
  };
}

function Loop({ rows, found }: { rows: Reading[]; found?: Schemas["PlayResult"] }) {
  const { x, y } = scales(rows);
  const path = rows.map((r, i) => `${i ? "L" : "M"}${x(r.force_n)} ${y(r.displacement_mm)}`).join("");
  const [pulled, pushed] = found?.band_mm ?? [];
  const wide = pulled !== undefined && pushed !== undefined && pushed > pulled ? y(pulled) - y(pushed) : 0;
  return (
    <>
      {wide ? (
        <g>
          <rect x={64} y={y(pushed!)} width={W - 78} height={wide} fill="var(--off)" fillOpacity={0.16} />
          <text x={W - 18} y={y(pushed!) - 5} textAnchor="end" fontSize={13} fontWeight={600} fill="var(--off)">
            gives {found!.play.value.toFixed(3)} mm
          </text>
        </g>
      ) : null}
      {y.ticks(5).map((v) => (
        <g key={v}>
          <path d={`M60 ${y(v)}H${W - 14}`} stroke="var(--hair)" />
          <text x={56} y={y(v) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
            {v.toFixed(2)}
          </text>
        </g>
      ))}
      <path d={`M${x(0)} 16V${H - 36}`} stroke="var(--line)" />
      {x.ticks(8).map((v) => (
        <text key={v} x={x(v)} y={H - 20} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {v}
        </text>
      ))}
      <text x={4} y={13} fontSize={12} fill="var(--ink2)">
        mm
      </text>
      <text x={W - 14} y={H - 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
        pulled (−), pushed (+), N
      </text>
      <path d={path} fill="none" stroke="var(--ink2)" strokeWidth={1} strokeDasharray="2 3" />
      {found?.branches.map((b, i) => (
        <path
          key={i}
          d={`M${x(b.from_n)} ${y(b.from_mm)}L${x(b.to_n)} ${y(b.to_mm)}`}
          stroke="var(--go)"
          strokeWidth={2}
          fill="none"
        />
      ))}
      {rows.map((r, i) => (
        <circle key={i} cx={x(r.force_n)} cy={y(r.displacement_mm)} r={4.5} fill="var(--ink)" fillOpacity={0.75} />
      ))}
    </>
  );
}

export function sketch() {
  return { note: "Push and pull at the head" };
}

export function Live({ rows }: { rows: Row[] }) {
  const seen = rows as unknown as Reading[];
  if (seen.length < 2) return null;
  return (
    <svg viewBox={`0 0 ${W} ${H}`} className="block w-full" role="img" aria-label={`${seen.length} readings so far`}>
      <Loop rows={seen} />
    </svg>
  );
}

export function Result({ capture }: Shown) {
  const found = capture.found;
  if (found.procedure !== "play") return null;
  return (
    <Figure
      name="play"
      label={`${found.readings.length} readings, pushed and pulled; between the branches it gives ${found.play.value.toFixed(3)} millimetres`}
      width={W}
      height={H}
    >
      <Loop rows={found.readings} found={found} />
    </Figure>
  );
}
