/** Level over time and frequency, with the trace of the record above it: how a sweep went through. */
import { scaleLinear } from "d3-scale";
import { useEffect, useState } from "react";
import type { Schemas } from "../api/client";
import { Figure } from "./Figure";

const W = 640;
const LEFT = 46;

export function TimeFrequency({ view, name, marks }: { view: Schemas["ShakenView"]; name: string; marks: number[] }) {
  const [picture, setPicture] = useState("");
  const [at, setAt] = useState<[number, number] | null>(null);
  const top = view.frequency_hz[view.frequency_hz.length - 1] ?? 1;
  const x = scaleLinear([0, view.seconds], [LEFT, W - 8]);
  const y = scaleLinear([0, top], [290, 92]);
  const peak = Math.max(1, ...view.high, ...view.low.map((v) => -v));
  const trace = scaleLinear([-peak, peak], [76, 14]);
  useEffect(() => {
    // One shade of ink: darker is louder. Drawn once on a canvas, kept in the drawing as a picture.
    const canvas = document.createElement("canvas");
    canvas.width = view.time_s.length;
    canvas.height = view.frequency_hz.length;
    const pen = canvas.getContext("2d");
    if (!pen) return;
    const ink = getComputedStyle(document.documentElement).getPropertyValue("--ink").trim() || "#13201b";
    pen.fillStyle = ink;
    view.level_db.forEach((row, i) => {
      row.forEach((db, j) => {
        pen.globalAlpha = Math.max(0, (db + 45) / 45) ** 1.3;
        pen.fillRect(i, canvas.height - 1 - j, 1, 1);
      });
    });
    setPicture(canvas.toDataURL());
  }, [view]);
  const step = (W - 8 - LEFT) / view.low.length;
  return (
    <Figure
      name={name}
      label={`Record of ${view.seconds.toFixed(0)} seconds in time and frequency, up to ${top.toFixed(0)} hertz; darker is louder`}
      width={W}
      height={318}
      onPoint={(point) => {
        if (!point) return setAt(null);
        const [t, f] = [x.invert(point.x), y.invert(point.y)];
        setAt(t >= 0 && t <= view.seconds && f >= 0 && f <= top ? [t, f] : null);
      }}
    >
      <path
        d={view.low
          .map(
            (v, i) =>
              `M${(LEFT + i * step).toFixed(1)} ${trace(v).toFixed(1)}V${(trace(view.high[i]!) - 0.4).toFixed(1)}`,
          )
          .join("")}
        stroke="var(--ink2)"
        strokeWidth={Math.max(step, 0.7)}
      />
      <text x={4} y={13} fontSize={12} fill="var(--ink2)">
        ± {Number((peak / 1000).toPrecision(2))} m/s²
      </text>
      {picture ? (
        <image href={picture} x={LEFT} y={92} width={W - 8 - LEFT} height={198} preserveAspectRatio="none" />
      ) : null}
      <rect x={LEFT} y={92} width={W - 8 - LEFT} height={198} fill="none" stroke="var(--line)" />
      {y.ticks(5).map((v) => (
        <text key={v} x={LEFT - 5} y={y(v) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
          {v}
        </text>
      ))}
      {x.ticks(7).map((v) => (
        <text key={v} x={x(v)} y={306} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {v}
        </text>
      ))}
      <text x={W - 8} y={317} textAnchor="end" fontSize={12} fill="var(--ink2)">
        s
      </text>
      <text x={4} y={96} fontSize={12} fill="var(--ink2)">
        Hz
      </text>
      {marks.map((hz) => (
        <g key={hz}>
          <path d={`M${LEFT} ${y(hz)}H${W - 8}`} stroke="var(--go)" strokeWidth={1.4} strokeDasharray="7 4" />
          <text x={W - 12} y={y(hz) - 4} textAnchor="end" fontSize={13} fontWeight={600} fill="var(--go)">
            {hz.toFixed(1)} Hz
          </text>
        </g>
      ))}
      {at ? (
        <text x={LEFT + 6} y={106} fontSize={13} fontWeight={600} fill="var(--go)">
          {at[0].toFixed(1)} s, {at[1].toFixed(0)} Hz
        </text>
      ) : null}
    </Figure>
  );
}
