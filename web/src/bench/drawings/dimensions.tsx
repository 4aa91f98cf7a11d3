/** The error of each length over the length, by axis, with its line: where it crosses no length stands the wall. */
import { scaleLinear } from "d3-scale";
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import type { Row } from "../../kit/ReadingsField";
import type { Shown } from "../drawing";

const W = 560;
const H = 250;
type Size = Schemas["SizeRead"];
type AxisSize = Schemas["AxisSize"];
const CAUSE: Record<AxisSize["cause"], string> = {
  steps: "steps",
  extrusion_width: "wall width",
  shrinkage: "shrinkage",
  belt_or_pulley: "belt or pulley",
  sound: "sound",
  measure_more: "measure more",
};

/** A reading's kind by its shape: outer full, inner open, centre a bar. */
function Dot({ kind, x, y }: { kind: Size["kind"]; x: number; y: number }) {
  if (kind === "centre") return <path d={`M${x - 5} ${y}h10`} stroke="var(--ink)" strokeWidth={3} />;
  return (
    <circle
      cx={x}
      cy={y}
      r={4.5}
      fill={kind === "outer" ? "var(--ink)" : "var(--sheet)"}
      stroke="var(--ink)"
      strokeWidth={1.5}
      fillOpacity={0.8}
    />
  );
}

function OverLength({ sizes, found }: { sizes: Size[]; found?: AxisSize }) {
  const off = sizes.map((s) => s.measured_mm - s.nominal_mm);
  const long = Math.max(...sizes.map((s) => s.nominal_mm));
  const ends = found?.scale ? [(found.scale.value - 1) * long] : [];
  const walls = Math.abs(found?.wall_offset?.value ?? 0);
  const most = Math.max(0.05, ...off.map(Math.abs), ...ends.map((e) => Math.abs(e) + walls)) * 1.1;
  const x = scaleLinear([0, long * 1.05], [58, W - 14]);
  const y = scaleLinear([-most, most], [H - 36, 14]);
  const slope = found?.scale ? found.scale.value - 1 : null;
  const u = found?.scale?.u95 ?? 0;
  const wall = found?.wall_offset?.value ?? 0;
  const line = (k: number, dash?: string) =>
    slope === null ? null : (
      <path
        d={`M${x(0)} ${y(k * wall)}L${x(long)} ${y(k * wall + slope * long)}`}
        stroke="var(--go)"
        strokeWidth={2}
        strokeDasharray={dash}
      />
    );
  return (
    <>
      {y.ticks(5).map((v) => (
        <g key={v}>
          <path d={`M54 ${y(v)}H${W - 14}`} stroke={v === 0 ? "var(--line)" : "var(--hair)"} />
          <text x={50} y={y(v) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
            {v.toFixed(2)}
          </text>
        </g>
      ))}
      {x.ticks(6).map((v) => (
        <text key={v} x={x(v)} y={H - 18} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {v}
        </text>
      ))}
      <text x={4} y={12} fontSize={12} fill="var(--ink2)">
        error, mm
      </text>
      <text x={W - 14} y={H - 3} textAnchor="end" fontSize={12} fill="var(--ink2)">
        length, mm; full: outer, open: inner, bar: centre
      </text>
      {slope !== null && u ? (
        <path
          d={`M${x(0)} ${y(wall)}L${x(long)} ${y(wall + (slope + u) * long)}V${y(wall + (slope - u) * long)}Z`}
          fill="var(--go)"
          fillOpacity={0.13}
        />
      ) : null}
      {line(1)}
      {found?.wall_offset ? (
        <>
          {line(0, "2 4")}
          {line(-1, "7 4")}
          <circle cx={x(0)} cy={y(wall)} r={6} fill="none" stroke="var(--off)" strokeWidth={2.5} />
          <text x={x(0) + 10} y={y(wall) - 8} fontSize={13} fontWeight={600} fill="var(--off)">
            wall {wall > 0 ? "+" : "−"}
            {Math.abs(wall).toFixed(2)}
          </text>
        </>
      ) : null}
      {sizes.map((s, i) => (
        <Dot key={i} kind={s.kind} x={x(s.nominal_mm)} y={y(off[i]!)} />
      ))}
    </>
  );
}

export function sketch() {
  return { note: "The bars lie along their axes" };
}

export function Live({ rows }: { rows: Row[] }) {
  const sizes = rows.filter((r) => "nominal_mm" in r) as unknown as Size[];
  const last = sizes[sizes.length - 1];
  if (!last) return null;
  const mine = sizes.filter((s) => s.axis === last.axis);
  return (
    <figure>
      <figcaption className="text-[15px] text-ink2">{last.axis.toUpperCase()} so far</figcaption>
      <svg
        viewBox={`0 0 ${W} ${H}`}
        className="block w-full"
        role="img"
        aria-label={`${mine.length} sizes along ${last.axis} so far`}
      >
        <OverLength sizes={mine} />
      </svg>
    </figure>
  );
}

export function Result({ capture }: Shown) {
  const found = capture.found;
  if (found.procedure !== "dimensions") return null;
  return (
    <div className="grid gap-4">
      {found.axes.map((a) => (
        <section key={a.axis} aria-label={`Axis ${a.axis.toUpperCase()}`}>
          <h2 className="!text-[19px] !text-ink">
            {a.axis.toUpperCase()}: {CAUSE[a.cause]}
          </h2>
          <p>{a.why}</p>
          <Figure
            name={`sizes-${a.axis}`}
            label={`Error over length along ${a.axis.toUpperCase()}: ${a.why}`}
            width={W}
            height={H}
          >
            <OverLength sizes={found.sizes.filter((s) => s.axis === a.axis)} found={a} />
          </Figure>
        </section>
      ))}
    </div>
  );
}
