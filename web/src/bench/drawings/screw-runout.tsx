/** The runout over the height, taken apart into slope, lead, thread and rest, each to be switched off; and over one turn. */
import { scaleLinear } from "d3-scale";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import type { Row } from "../../kit/ReadingsField";
import type { Shown } from "../drawing";

type Found = Schemas["ScrewRunoutResult"];
type Reading = Schemas["SideReading"];
const PARTS = ["slope", "lead", "thread", "free"] as const;
type PartName = (typeof PARTS)[number];
const WORDS: Record<PartName, string> = {
  slope: "Slope",
  lead: "Wave of each turn",
  thread: "Thread",
  free: "Other wave",
};
const W = 640;
const H = 270;
const S = 300;

/** The parts that a result has, each as a function of the height (mm). */
export function partsOf(
  found: Found,
  lead: number,
  pitch: number | null,
): Partial<Record<PartName, (z: number) => number>> {
  const mean = found.readings.reduce((s, r) => s + r.z_mm, 0) / found.readings.length;
  const wave = (period: number | null | undefined) => {
    const w = period && found.waves.find((v) => Math.abs(v.period_mm - period) < 1e-6);
    return w ? (z: number) => w.amplitude_mm * Math.cos((2 * Math.PI * z) / w.period_mm + w.phase) : undefined;
  };
  const out: Partial<Record<PartName, (z: number) => number>> = {
    slope: (z) => (found.drift.value / 100) * (z - mean),
  };
  for (const [name, period] of [
    ["lead", lead],
    ["thread", pitch],
    ["free", found.free_period?.value],
  ] as const) {
    const f = wave(period);
    if (f) out[name] = f;
  }
  return out;
}

function Axes({ x, y }: { x: ReturnType<typeof scaleLinear<number>>; y: ReturnType<typeof scaleLinear<number>> }) {
  return (
    <>
      {y.ticks(5).map((v) => (
        <g key={v}>
          <path d={`M56 ${y(v)}H${W - 10}`} stroke="var(--hair)" />
          <text x={52} y={y(v) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
            {v.toFixed(2)}
          </text>
        </g>
      ))}
      {x.ticks(8).map((v) => (
        <text key={v} x={x(v)} y={H - 18} textAnchor="middle" fontSize={12} fill="var(--ink2)">
          {v}
        </text>
      ))}
      <text x={4} y={13} fontSize={12} fill="var(--ink2)">
        mm
      </text>
      <text x={W - 10} y={H - 3} textAnchor="end" fontSize={12} fill="var(--ink2)">
        height, mm
      </text>
    </>
  );
}

function scales(z: number[], values: number[]) {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = Math.max(0.01, high - low) * 0.1;
  return {
    x: scaleLinear([Math.min(...z), Math.max(...z)], [60, W - 14]),
    y: scaleLinear([low - room, high + room], [H - 36, 16]),
  };
}

function Dots({ rows, at, x, y }: { rows: Reading[]; at: number[] } & ReturnType<typeof scales>) {
  return rows.map((r, i) =>
    r.direction === "down" ? (
      <rect key={i} x={x(r.z_mm) - 3} y={y(at[i]!) - 3} width={6} height={6} fill="none" stroke="var(--ink)" />
    ) : (
      <circle key={i} cx={x(r.z_mm)} cy={y(at[i]!)} r={3.4} fill="var(--ink)" fillOpacity={0.75} />
    ),
  );
}

export function sketch() {
  return { note: "Indicator sideways on what the screw carries" };
}

export function Live({ rows }: { rows: Row[] }) {
  const seen = rows as unknown as Reading[];
  if (seen.length < 2) return null;
  const at = seen.map((r) => r.reading_mm);
  const s = scales(
    seen.map((r) => r.z_mm),
    at,
  );
  return (
    <svg viewBox={`0 0 ${W} ${H}`} className="block w-full" role="img" aria-label={`${seen.length} readings so far`}>
      <Axes {...s} />
      <Dots rows={seen} at={at} {...s} />
    </svg>
  );
}

/** What is left of the readings once the parts that are switched off are taken away, with the curve of those that are on. */
function OverHeight({ found, parts, off }: { found: Found; parts: ReturnType<typeof partsOf>; off: Set<PartName> }) {
  const sum = (z: number, on: boolean) =>
    PARTS.reduce((s, p) => s + (parts[p] && off.has(p) !== on ? parts[p](z) : 0), 0);
  const up = found.reversal && found.readings.some((r) => r.direction);
  const half = up ? meanGap(found) / 2 : 0;
  const at = found.readings.map(
    (r) => r.reading_mm - found.offset_mm - sum(r.z_mm, false) - (r.direction === "down" ? -half : up ? half : 0),
  );
  const z = found.readings.map((r) => r.z_mm);
  const s = scales(z, at);
  const fine = Array.from({ length: 401 }, (_, i) => Math.min(...z) + ((Math.max(...z) - Math.min(...z)) * i) / 400);
  return (
    <Figure
      name="runout"
      label={`Runout over the height, ${found.total_range.value.toFixed(3)} mm in all; slope ${found.drift.value.toFixed(3)} mm per 100 mm, wave of each turn ${found.lead_amplitude.value.toFixed(3)} mm`}
      width={W}
      height={H}
    >
      <Axes {...s} />
      <path
        d={fine.map((v, i) => `${i ? "L" : "M"}${s.x(v).toFixed(1)} ${s.y(sum(v, true)).toFixed(1)}`).join("")}
        fill="none"
        stroke="var(--go)"
        strokeWidth={2}
      />
      <Dots rows={found.readings} at={at} {...s} />
    </Figure>
  );
}

/** Up less down, by the readings' means. */
function meanGap(found: Found): number {
  const mean = (way: string) => {
    const v = found.readings.filter((r) => r.direction === way).map((r) => r.reading_mm);
    return v.length ? v.reduce((s, x) => s + x, 0) / v.length : 0;
  };
  return mean("up") - mean("down");
}

/** All turns laid over one: a circle off the middle is a bent or eccentric screw. */
function OverOneTurn({ found, parts, lead }: { found: Found; parts: ReturnType<typeof partsOf>; lead: number }) {
  const left = found.readings.map(
    (r) =>
      r.reading_mm -
      found.offset_mm -
      (parts.slope?.(r.z_mm) ?? 0) -
      (parts.thread?.(r.z_mm) ?? 0) -
      (parts.free?.(r.z_mm) ?? 0) -
      (r.direction ? ((r.direction === "up" ? 1 : -1) * meanGap(found)) / 2 : 0),
  );
  const most = Math.max(0.02, ...left.map(Math.abs));
  const [base, reach] = [78, 42];
  const at = (z: number, value: number): [number, number] => {
    const turn = (2 * Math.PI * z) / lead;
    const r = base + (value / most) * reach;
    return [S / 2 + r * Math.sin(turn), S / 2 - r * Math.cos(turn)];
  };
  const round = Array.from({ length: 73 }, (_, i) => at((lead * i) / 72, parts.lead?.((lead * i) / 72) ?? 0));
  return (
    <Figure
      name="runout-turn"
      label={`All turns laid over one: ${found.lead_amplitude.value.toFixed(3)} mm off the middle`}
      width={S}
      height={S}
    >
      <circle cx={S / 2} cy={S / 2} r={base} fill="none" stroke="var(--line)" strokeDasharray="4 4" />
      <path d={`M${S / 2} ${S / 2 - 6}v12M${S / 2 - 6} ${S / 2}h12`} stroke="var(--ink2)" />
      <path
        d={`${round.map((p, i) => `${i ? "L" : "M"}${p.map((v) => v.toFixed(1)).join(" ")}`).join("")}Z`}
        fill="none"
        stroke="var(--go)"
        strokeWidth={2}
      />
      {found.readings.map((r, i) => {
        const [cx, cy] = at(r.z_mm, left[i]!);
        return <circle key={i} cx={cx} cy={cy} r={2.6} fill="var(--ink)" fillOpacity={0.6} />;
      })}
      <text x={S / 2} y={S - 4} textAnchor="middle" fontSize={12} fill="var(--ink2)">
        one turn; the rim is {(most * (base / reach)).toFixed(2)} mm from the middle
      </text>
    </Figure>
  );
}

export function Result({ capture }: Shown) {
  const found = capture.found;
  const [off, setOff] = useState<Set<PartName>>(new Set());
  if (found.procedure !== "screw-runout") return null;
  const told = capture.context as { lead_mm?: number; thread_pitch_mm?: number };
  const lead = told.lead_mm ?? 8;
  const parts = partsOf(found, lead, told.thread_pitch_mm ?? null);
  const flip = (p: PartName) => {
    const next = new Set(off);
    if (!next.delete(p)) next.add(p);
    setOff(next);
  };
  return (
    <div className="grid gap-2">
      <fieldset className="flex flex-wrap gap-x-5">
        <legend className="text-[15px] font-semibold">What is drawn</legend>
        {PARTS.filter((p) => parts[p]).map((p) => (
          <label key={p} className="flex min-h-11 items-center gap-2">
            <input type="checkbox" className="size-5" checked={!off.has(p)} onChange={() => flip(p)} />
            {WORDS[p]}
          </label>
        ))}
      </fieldset>
      <OverHeight found={found} parts={parts} off={off} />
      {parts.lead ? (
        <div className="max-w-[340px]">
          <OverOneTurn found={found} parts={parts} lead={lead} />
        </div>
      ) : null}
    </div>
  );
}
