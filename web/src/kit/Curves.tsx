/** Curves over one axis: told apart by stroke and name, not by colour alone; the value under the pointer; saved as SVG or PNG. */
import { scaleLinear, scaleLog } from "d3-scale";
import { useState } from "react";
import { Figure } from "./Figure";

export type Look = "main" | "fit" | "ghost" | "dots" | "go";
export type Series = { name: string; x: number[]; y: number[]; look: Look };
export type Mark = { x: number; label: string; to?: number };

const LOOKS: Record<Look, { stroke: string; width: number; dash?: string }> = {
  main: { stroke: "var(--ink)", width: 1.8 },
  fit: { stroke: "var(--go)", width: 2, dash: "7 4" },
  ghost: { stroke: "var(--ink2)", width: 1.3, dash: "2 3" },
  dots: { stroke: "var(--off)", width: 2, dash: "1.5 4" },
  go: { stroke: "var(--go)", width: 2.4 },
};
const W = 640;
const H = 270;
const LEFT = 46;
const BOTTOM = 226;

type Props = {
  series: Series[];
  marks?: Mark[];
  label: string;
  name: string;
  xUnit: string;
  yUnit: string;
  /** Decades below the highest that are shown on a logarithmic scale; linear where left out. */
  decades?: number;
  level?: { y: number; label: string };
};

export function Curves({ series, marks = [], label, name, xUnit, yUnit, decades, level }: Props) {
  const [at, setAt] = useState<number | null>(null);
  const all = series.filter((s) => s.x.length > 1);
  if (!all.length) return null;
  const x = scaleLinear(
    [Math.min(...all.map((s) => s.x[0]!)), Math.max(...all.map((s) => s.x[s.x.length - 1]!))],
    [LEFT, W - 8],
  );
  const top = Math.max(...all.flatMap((s) => s.y), level?.y ?? Number.NEGATIVE_INFINITY);
  const bottom = Math.min(...all.flatMap((s) => s.y));
  const floor = decades ? top / 10 ** decades : Math.min(0, bottom);
  const room = decades ? top * 1.6 : top + (top - floor || 1) * 0.06;
  const y = decades ? scaleLog([floor, room], [BOTTOM, 22]) : scaleLinear([floor, room], [BOTTOM, 22]);
  const d = (s: Series) =>
    s.x.map((v, i) => `${i ? "L" : "M"}${x(v).toFixed(1)} ${y(Math.max(s.y[i]!, floor)).toFixed(1)}`).join("");
  const near = (s: Series, v: number) => {
    let i = s.x.findIndex((q) => q >= v);
    if (i < 0) i = s.x.length - 1;
    return i;
  };
  const yTicks = decades
    ? Array.from({ length: decades + 1 }, (_, i) => 10 ** (Math.floor(Math.log10(room)) - i)).filter((v) => v >= floor)
    : y.ticks(5);
  return (
    <Figure
      name={name}
      label={label}
      width={W}
      height={H}
      onPoint={(point) => {
        const v = point && x.invert(point.x);
        setAt(v !== null && v >= x.domain()[0]! && v <= x.domain()[1]! ? v : null);
      }}
    >
      {yTicks.map((v) => (
        <g key={v}>
          <path d={`M${LEFT} ${y(v)}H${W - 8}`} stroke="var(--hair)" />
          <text x={LEFT - 5} y={y(v) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
            {decades ? `10${superscript(Math.round(Math.log10(v)))}` : Number(v.toPrecision(3))}
          </text>
        </g>
      ))}
      {x.ticks(8).map((v) => (
        <text key={v} x={x(v)} y={BOTTOM + 17} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {v}
        </text>
      ))}
      <text x={4} y={13} fontSize={12} fill="var(--ink2)">
        {yUnit}
      </text>
      <text x={W - 8} y={H - 8} textAnchor="end" fontSize={12} fill="var(--ink2)">
        {xUnit}
      </text>
      {marks.map((m, i) => (
        <g key={`${m.x}-${m.label}`}>
          {m.to ? (
            <rect x={x(m.x)} y={22} width={x(m.to) - x(m.x)} height={BOTTOM - 22} fill="var(--band)" opacity={0.7} />
          ) : (
            <path d={`M${x(m.x)} 22V${BOTTOM}`} stroke="var(--go)" strokeWidth={1.2} />
          )}
          <text
            x={Math.min(x(m.to ? (m.x + m.to) / 2 : m.x) + 4, W - 90)}
            y={33 + 15 * (i % 3)}
            fontSize={13}
            fontWeight={600}
            fill="var(--ink)"
          >
            {m.label}
          </text>
        </g>
      ))}
      {level ? (
        <g>
          <path d={`M${LEFT} ${y(level.y)}H${W - 8}`} stroke="var(--ink)" strokeDasharray="5 3" />
          <text x={LEFT + 4} y={y(level.y) - 4} fontSize={12} fill="var(--ink)">
            {level.label}
          </text>
        </g>
      ) : null}
      {all.map((s) => (
        <path
          key={s.name}
          d={d(s)}
          fill="none"
          stroke={LOOKS[s.look].stroke}
          strokeWidth={LOOKS[s.look].width}
          strokeDasharray={LOOKS[s.look].dash}
        />
      ))}
      {all.map((s, i) => (
        <g key={s.name} transform={`translate(${LEFT + i * Math.min(190, (W - LEFT - 60) / all.length)} ${H - 12})`}>
          <path
            d="M0 -4h26"
            stroke={LOOKS[s.look].stroke}
            strokeWidth={LOOKS[s.look].width}
            strokeDasharray={LOOKS[s.look].dash}
          />
          <text x={31} y={0} fontSize={13} fill="var(--ink)">
            {s.name}
          </text>
        </g>
      ))}
      {at !== null ? (
        <g>
          <path d={`M${x(at)} 22V${BOTTOM}`} stroke="var(--line)" />
          <text
            x={x(at) > W / 2 ? x(at) - 6 : x(at) + 6}
            y={BOTTOM - 8}
            textAnchor={x(at) > W / 2 ? "end" : "start"}
            fontSize={13}
            fill="var(--ink)"
          >
            {at.toFixed(at < 10 ? 2 : 1)} {xUnit}: {all.map((s) => s.y[near(s, at)]!.toPrecision(3)).join(", ")}
          </text>
        </g>
      ) : null}
    </Figure>
  );
}

function superscript(n: number): string {
  return [...String(n)].map((c) => "⁰¹²³⁴⁵⁶⁷⁸⁹"[Number(c)] ?? "⁻").join("");
}
