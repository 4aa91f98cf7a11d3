/** The measured spacing beside what each source would give on this machine, on one ladder of lengths. */
import { scaleLog } from "d3-scale";
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import { percent } from "../../kit/figures";
import type { Bench, Found, Shown } from "../drawing";

const W = 600;
const TOP = 30;

/** Heights of labels that keep a line's room from each other, in order, as near to their rungs as may be. */
export function spaced(wanted: number[], room: number, bottom: number): number[] {
  const out: number[] = [];
  wanted.forEach((v, i) => {
    out.push(i ? Math.max(v, out[i - 1]! + room) : v);
  });
  const over = out.length ? Math.max(0, out[out.length - 1]! - bottom) : 0;
  return out.map((v, i) => Math.max(TOP + i * room, v - over));
}

export function Ladder({ found }: { found: Schemas["RippleSourceResult"] }) {
  const d = found.spacing.value;
  const u = found.spacing.u95 ?? 0;
  const sources = [...found.sources]
    .filter((s) => !s.source.startsWith("other"))
    .slice(0, 9)
    .sort((a, b) => b.expected_mm - a.expected_mm);
  const other = found.sources.filter((s) => s.source.startsWith("other"));
  const H = Math.max(260, TOP + sources.length * 30 + 30);
  const values = [d, ...sources.map((s) => s.expected_mm)];
  const y = scaleLog([Math.min(...values) * 0.7, Math.max(...values) * 1.4], [H - 20, TOP]);
  const places = spaced(
    sources.map((s) => y(s.expected_mm)),
    28,
    H - 20,
  );
  const likeliest = found.sources[0];
  return (
    <>
      <Figure
        name="ripple-ladder"
        label={`Measured spacing ${d.toFixed(2)} millimetres beside ${sources.map((s) => `${s.words} ${s.axis ?? ""} ${s.expected_mm.toFixed(2)} millimetres`).join(", ")}`}
        width={W}
        height={H}
      >
        <path d={`M118 ${TOP - 10}V${H - 12}M170 ${TOP - 10}V${H - 12}`} stroke="var(--line)" strokeWidth={2} />
        <rect
          x={118}
          y={y(d + u)}
          width={52}
          height={Math.max(2, y(Math.max(d - u, d * 0.5)) - y(d + u))}
          fill="var(--band)"
        />
        <path d={`M96 ${y(d)}H182`} stroke="var(--go)" strokeWidth={4} />
        <text x={92} y={y(d) - 6} textAnchor="end" fontSize={20} fontWeight={650} fill="var(--ink)">
          {d.toFixed(2)}
        </text>
        <text x={92} y={y(d) + 14} textAnchor="end" fontSize={13} fill="var(--ink2)">
          measured, mm
        </text>
        {sources.map((s, i) => {
          const strong = s === likeliest;
          return (
            <g key={`${s.source}${s.axis}${s.frequency_hz ?? ""}`}>
              <path
                d={`M118 ${y(s.expected_mm)}H170L206 ${places[i]! - 4}`}
                fill="none"
                stroke="var(--ink)"
                strokeWidth={strong ? 3 : 1.2}
                strokeDasharray={s.family === "timed" ? "5 3" : undefined}
              />
              <text x={212} y={places[i]!} fontSize={15} fontWeight={strong ? 700 : 400} fill="var(--ink)">
                {s.expected_mm.toFixed(2)} mm: {s.words}
                {s.axis ? ` ${s.axis.toUpperCase()}` : ""}
                {s.frequency_hz ? `, ${s.frequency_hz.toFixed(0)} Hz` : ""}
                {s.order > 1 ? `, 1/${s.order} of it` : ""}
              </text>
              <text
                x={W - 4}
                y={places[i]!}
                textAnchor="end"
                fontSize={15}
                fontWeight={strong ? 700 : 400}
                fill="var(--ink)"
              >
                {percent(s.probability)}
              </text>
            </g>
          );
        })}
        <text x={4} y={13} fontSize={12} fill="var(--ink2)">
          full rungs: a length of the machine; dashed: timed, at the first speed
        </text>
      </Figure>
      <p className="text-[15px] text-ink2">
        {other.map((s) => `${s.words[0]!.toUpperCase()}${s.words.slice(1)} ${percent(s.probability)}`).join(", ")}.
      </p>
    </>
  );
}

const FAMILY = {
  timed: "It is timed: the spacing grows with speed",
  geometric: "It is a length: the spacing stays",
  open: "Both families stay open",
};

export const goesOn = "Add another wall";

export function title(found: Found): string | undefined {
  return found.procedure === "ripple-source" ? FAMILY[found.family] : undefined;
}

export function sketch(place: string): { wall?: "x" | "y" } {
  return { wall: place === "x" || place === "y" ? place : undefined };
}

export function Before({ bench, place }: { bench: Bench; place: string }) {
  const wall = bench.walls.find((w) => w.runs === place);
  return wall ? <p className="text-[17px]">{wall.words} Teeth and turns belong to the drive along it.</p> : null;
}

export function Result({ capture }: Shown) {
  return capture.found.procedure === "ripple-source" ? <Ladder found={capture.found} /> : null;
}
