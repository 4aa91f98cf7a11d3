/** The course of a figure: each reading with its uncertainty over use, the limits as a band, what was done, and when the limit is reached. */
import { useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Loading } from "../kit/bits";
import { Figure } from "../kit/Figure";
import { ago, onDay } from "../kit/figures";
import { counted } from "../kit/words";

type Told = Schemas["CourseOut"];

const W = 640;
const H = 250;
const LEFT = 52;
const BOTTOM = 206;
const TOP = 20;

export function Course({ printer, place, procedure }: { printer: number; place: string; procedure: string }) {
  const [open, setOpen] = useState(false);
  const course = useQuery({
    queryKey: ["printer", printer, "trend", place, procedure],
    queryFn: () =>
      got(
        api.GET("/api/printers/{printer_id}/trend", {
          params: { path: { printer_id: printer }, query: { place, procedure } },
        }),
      ),
    enabled: open,
  });
  return (
    <details className="md:col-span-2" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-11 cursor-pointer py-2 text-[15px] text-ink2">How it has gone</summary>
      {open && course.isPending ? <Loading what="its course" /> : null}
      <ErrorNote error={course.error} />
      {course.data ? <CourseDrawn c={course.data} /> : null}
    </details>
  );
}

/** What the course comes to, in a sentence. */
export function told(c: Told): string {
  const f = c.found;
  const per = c.over === "hours" ? "100 hours" : "100 days";
  if (!f?.rate_per_100h) {
    const n = f?.points_used ?? c.points.length;
    return `${counted(n, "reading", "readings")} since it was last touched: from four on it is told where it goes.`;
  }
  const rate = f.rate_per_100h;
  const figure = `${rate.value > 0 ? "+" : "−"}${Math.abs(rate.value).toPrecision(2)} ± ${(rate.u95 ?? 0).toPrecision(1)} ${c.unit} in ${per}`;
  const left = f.hours_to_limit;
  if (!left)
    return rate.u95 != null && Math.abs(rate.value) <= rate.u95
      ? `It holds: ${figure}, within its own uncertainty.`
      : `${figure}: it does not reach a limit as far as these readings tell.`;
  if (left.value === 0) return `Past its limit; ${figure}.`;
  const many = `${Math.round(left.low ?? left.value)} ${left.high == null ? "or more" : `to ${Math.round(left.high)}`} ${c.over}`;
  const when = c.soonest
    ? ` At this machine's use between ${onDay(c.soonest)} and ${c.latest ? onDay(c.latest) : "some day far off"}.`
    : "";
  return `${figure}: it reaches its limit in ${many} from the last reading.${when}`;
}

/** Where several things were done between one reading and the next: what each of them did cannot be told. */
export function together(c: Told): string[] {
  return c.points.slice(1).flatMap((p, i) => {
    const before = c.points[i]!;
    const done = c.touched.filter(
      (t) => Date.parse(t.at) > Date.parse(before.at) && Date.parse(t.at) <= Date.parse(p.at),
    );
    const words = [...new Set(done.map((t) => t.words))];
    if (words.length < 2) return [];
    return `Between ${onDay(before.at)} and ${onDay(p.at)} ${words.slice(0, -1).join(", ")} and ${words[words.length - 1]}: what changed the figure cannot be told, and neither is credited.`;
  });
}

function CourseDrawn({ c }: { c: Told }) {
  return (
    <div className="grid gap-2">
      <p>{told(c)}</p>
      {together(c).map((s) => (
        <p key={s}>{s}</p>
      ))}
      <Drawing c={c} />
      {c.touched.length ? (
        <ol className="text-[15px] text-ink2">
          {c.touched.map((t, i) => (
            <li key={`${t.at}${t.words}`}>
              <b className="font-mono">{i + 1}</b> {t.words}, {ago(t.at)}
            </li>
          ))}
        </ol>
      ) : null}
    </div>
  );
}

function Drawing({ c }: { c: Told }) {
  const fit = c.found?.course ?? [];
  const reach = c.found?.limit_at_hours ?? null;
  const first = c.points[0]!.x;
  const last = c.points[c.points.length - 1]!.x;
  const span = Math.max(last - first, 1);
  // As far ahead as the course was followed, at the most; the limit, where it lies within that.
  const far = Math.max(last + 0.06 * span, Math.min(reach ?? last, last + 0.5 * span));
  const x = scaleLinear([first - 0.04 * span, far], [LEFT, W - 10]);
  const shown = fit.filter((p) => p.hours <= far);
  const whole = [
    ...c.points.flatMap((p) => [p.value - (p.u95 ?? 0), p.value + (p.u95 ?? 0)]),
    ...shown.map((p) => p.value),
    ...[c.low, c.high].filter((v): v is number => v != null),
  ];
  const [least, most] = [Math.min(...whole), Math.max(...whole)];
  const room = (most - least || 1) * 0.08;
  const y = scaleLinear([least - room, most + room], [BOTTOM, TOP]);
  const [bottom, top] = y.domain() as [number, number];
  const clamp = (v: number) => y(Math.max(bottom, Math.min(top, v)));
  const line = (v: (p: (typeof shown)[number]) => number) =>
    shown.map((p, i) => `${i ? "L" : "M"}${x(p.hours).toFixed(1)} ${clamp(v(p)).toFixed(1)}`).join("");
  const back = [...shown]
    .reverse()
    .map((p) => `L${x(p.hours).toFixed(1)} ${clamp(p.low).toFixed(1)}`)
    .join("");
  return (
    <Figure
      name={`${c.words}-course`}
      label={`${c.words} over ${c.over === "hours" ? "hours of use" : "days"}. ${told(c)}`}
      width={W}
      height={H}
    >
      {c.low != null || c.high != null ? (
        <rect
          x={LEFT}
          y={clamp(c.high ?? top)}
          width={W - 10 - LEFT}
          height={clamp(c.low ?? bottom) - clamp(c.high ?? top)}
          fill="var(--band)"
          opacity={0.6}
        />
      ) : null}
      {y.ticks(5).map((v) => (
        <g key={v}>
          <path d={`M${LEFT} ${y(v)}H${W - 10}`} stroke="var(--hair)" />
          <text x={LEFT - 6} y={y(v) + 4} textAnchor="end" fontSize={13} fill="var(--ink2)">
            {Number(v.toPrecision(4))}
          </text>
        </g>
      ))}
      {x.ticks(6).map((v) => (
        <text key={v} x={x(v)} y={BOTTOM + 18} textAnchor="middle" fontSize={13} fill="var(--ink2)">
          {v}
        </text>
      ))}
      <text x={4} y={13} fontSize={13} fill="var(--ink2)">
        {c.unit}
      </text>
      <text x={W - 10} y={H - 8} textAnchor="end" fontSize={13} fill="var(--ink2)">
        {c.over === "hours" ? "hours of use" : "days"}
      </text>
      {c.touched.map((t, i) =>
        t.x >= x.domain()[0]! && t.x <= far ? (
          <g key={`${t.at}${t.words}`}>
            <path d={`M${x(t.x)} ${TOP}V${BOTTOM}`} stroke="var(--ink)" strokeDasharray="2 3" />
            <text x={x(t.x) + 4} y={TOP + 12} fontSize={13} fontWeight={600} fill="var(--ink)">
              {i + 1}
            </text>
          </g>
        ) : null,
      )}
      {shown.length ? (
        <g>
          <path d={`${line((p) => p.high)}${back}Z`} fill="var(--go)" opacity={0.13} />
          <path d={line((p) => p.value)} fill="none" stroke="var(--go)" strokeWidth={2} strokeDasharray="7 4" />
        </g>
      ) : null}
      {reach != null && reach > last && reach <= far ? (
        <path d={`M${x(reach) - 6} ${TOP}h12l-6 9Z`} fill="var(--failed)" />
      ) : null}
      {c.points.map((p) => (
        <g key={p.capture_id} stroke="var(--ink)" strokeWidth={1.6}>
          {p.u95 ? <path d={`M${x(p.x)} ${clamp(p.value - p.u95)}V${clamp(p.value + p.u95)}`} /> : null}
          <circle cx={x(p.x)} cy={y(p.value)} r={4} fill="var(--sheet)" />
        </g>
      ))}
    </Figure>
  );
}
