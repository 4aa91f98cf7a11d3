/** Waveform with the plucks marked, and the spectrum with its partials; the value under the pointer; saved as SVG or PNG. */
import { scaleLinear } from "d3-scale";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { Figure } from "./Figure";

type View = Schemas["SoundView"];
type Pluck = Schemas["PluckHeard"];
type Partial_ = Schemas["PartialHeard"];

const W = 560;

export function Waveform({
  low,
  high,
  seconds,
  plucks,
}: {
  low: number[];
  high: number[];
  seconds: number;
  plucks: Pluck[];
}) {
  const x = scaleLinear([0, Math.max(seconds, 0.1)], [0, W]);
  const peak = Math.max(0.02, ...high, ...low.map((v) => -v));
  const y = scaleLinear([-peak, peak], [66, 2]);
  const step = low.length ? W / low.length : 0;
  const d = low
    .map((v, i) => `M${(i * step).toFixed(1)} ${y(v).toFixed(1)}V${(y(high[i]!) - 0.4).toFixed(1)}`)
    .join("");
  let used = 0;
  return (
    <svg
      viewBox={`0 0 ${W} 92`}
      className="block w-full"
      role="img"
      aria-label={`Sound of ${seconds.toFixed(1)} seconds with ${plucks.length} sudden sounds, ${plucks.filter((p) => p.used).length} used`}
    >
      <path d={`M0 34H${W}`} stroke="var(--hair)" />
      <path d={d} stroke="var(--ink2)" strokeWidth={Math.max(step, 0.7)} />
      {plucks.map((p) => (
        <g key={p.at_s}>
          <path
            d={`M${x(p.at_s)} 2V72`}
            stroke={p.used ? "var(--go)" : "var(--off)"}
            strokeWidth={1.5}
            strokeDasharray={p.used ? undefined : "3 3"}
          />
          <text
            x={x(p.at_s)}
            y={87}
            fontSize={14}
            fontWeight={600}
            fill={p.used ? "var(--ink)" : "var(--off)"}
            textAnchor="middle"
          >
            {p.used ? ++used : "✕"}
          </text>
        </g>
      ))}
    </svg>
  );
}

/** ``second``: the pitch of what rings along, marked hollow below the belt's own partials. */
export function SpectrumPlot({
  view,
  partials,
  second = null,
  name,
}: {
  view: View;
  partials: Partial_[];
  second?: number | null;
  name: string;
}) {
  const [hover, setHover] = useState<number | null>(null);
  const f = view.frequency_hz;
  const top = f[f.length - 1] ?? 1;
  const x = scaleLinear([0, top], [30, W - 4]);
  const y = scaleLinear([-60, 0], [150, 12]);
  const d = f
    .map((hz, i) => `${i ? "L" : "M"}${x(hz).toFixed(1)} ${y(Math.max(view.level_db[i]!, -60)).toFixed(1)}`)
    .join("");
  const shown = hover === null ? null : Math.min(f.length - 1, Math.max(0, hover));
  return (
    <Figure
      name={name}
      label={`Spectrum up to ${top.toFixed(0)} hertz with ${partials.length} partials${second ? `, and another run at ${second.toFixed(1)} hertz` : ""}`}
      width={W}
      height={182}
      onPoint={(point) => {
        const hz = point && x.invert(point.x);
        setHover(hz === null ? null : f.findIndex((v) => v >= hz));
      }}
    >
      {[-60, -40, -20, 0].map((v) => (
        <g key={v}>
          <path d={`M30 ${y(v)}H${W}`} stroke="var(--hair)" />
          <text x={26} y={y(v) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
            {v}
          </text>
        </g>
      ))}
      <text x={30} y={10} fontSize={12} fill="var(--ink2)">
        dB
      </text>
      <path d={d} fill="none" stroke="var(--ink)" strokeWidth={1.3} />
      {second
        ? [1, 2, 3, 4].map((n) =>
            n * second < top ? (
              <g key={n}>
                <path
                  d={`M${x(n * second)} ${y(-60)}l-4.5 -8h9z`}
                  fill="var(--sheet)"
                  stroke="var(--watch)"
                  strokeWidth={1.6}
                />
                {n === 1 ? (
                  <text
                    x={x(second)}
                    y={y(-60) - 12}
                    textAnchor="middle"
                    fontSize={12}
                    fill="var(--ink)"
                    stroke="var(--sheet)"
                    strokeWidth={4}
                    paintOrder="stroke"
                  >
                    also {second.toFixed(1)}
                  </text>
                ) : null}
              </g>
            ) : null,
          )
        : null}
      {partials.slice(0, 7).map((p) => (
        <g key={p.n}>
          <path d={`M${x(p.frequency_hz)} 150v8`} stroke="var(--go)" strokeWidth={2.5} />
          {x(p.frequency_hz) < W - 62 ? (
            <text x={x(p.frequency_hz)} y={173} textAnchor="middle" fontSize={13} fill="var(--ink)">
              {p.n === 1 ? `${p.frequency_hz.toFixed(1)}` : `×${p.n}`}
            </text>
          ) : null}
        </g>
      ))}
      <text x={W - 2} y={173} textAnchor="end" fontSize={12} fill="var(--ink2)">
        {top.toFixed(0)} Hz
      </text>
      {shown !== null && shown >= 0 ? (
        <g>
          <path d={`M${x(f[shown]!)} 12V150`} stroke="var(--line)" />
          <text x={Math.min(x(f[shown]!) + 6, W - 110)} y={24} fontSize={13} fill="var(--ink)">
            {f[shown]!.toFixed(1)} Hz, {view.level_db[shown]!.toFixed(0)} dB
          </text>
        </g>
      ) : null}
    </Figure>
  );
}
