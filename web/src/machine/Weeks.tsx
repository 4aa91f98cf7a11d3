/** Hours of print week by week, as bars over the calendar. */
import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { Figure } from "../kit/Figure";

type Week = Schemas["WeekOut"];
const W = 640;
const H = 190;
const LEFT = 44;
const BOTTOM = 156;
const WEEK_MS = 7 * 86_400_000;

export function Weeks({ weeks, name }: { weeks: Week[]; name: string }) {
  if (!weeks.length) return null;
  const at = (w: Week) => Date.parse(w.monday);
  const [first, last] = [at(weeks[0]!), at(weeks[weeks.length - 1]!) + WEEK_MS];
  // A single week is not drawn as wide as the page.
  const x = scaleLinear([Math.min(first, last - 8 * WEEK_MS), last], [LEFT, W - 8]);
  const most = Math.max(...weeks.map((w) => w.hours), 1);
  const y = scaleLinear([0, most], [BOTTOM, 14]).nice(4);
  const wide = Math.max(1.5, x(first + WEEK_MS) - x(first) - 1.5);
  const sum = weeks.reduce((s, w) => s + w.hours, 0);
  const months = monthsBetween(x.domain()[0]!, last);
  const every = Math.ceil(months.length / 9);
  return (
    <Figure
      name={`${name}-weeks`}
      label={`Hours of print in each of ${weeks.length} weeks, ${Math.round(sum)} in all; at most ${Math.round(most)} in one week.`}
      width={W}
      height={H}
    >
      {y.ticks(4).map((t) => (
        <g key={t}>
          <path d={`M${LEFT} ${y(t)}H${W - 8}`} stroke="var(--hair)" />
          <text x={LEFT - 6} y={y(t) + 5} textAnchor="end" fontSize={14} fill="var(--ink2)">
            {t}
          </text>
        </g>
      ))}
      {weeks.map((w) => (
        <rect
          key={w.monday}
          x={x(at(w))}
          y={y(w.hours)}
          width={wide}
          height={Math.max(0, BOTTOM - y(w.hours))}
          fill="var(--ink2)"
        >
          <title>{`Week from ${new Date(w.monday).toLocaleDateString()}: ${w.hours.toFixed(1)} h${w.filament_kg == null ? "" : `, ${w.filament_kg.toFixed(2)} kg`}`}</title>
        </rect>
      ))}
      <path d={`M${LEFT} ${BOTTOM}H${W - 8}`} stroke="var(--ink)" />
      {months.map((m, i) =>
        i % every ? null : (
          <g key={m}>
            <path d={`M${x(m)} ${BOTTOM}v5`} stroke="var(--ink)" />
            <text x={x(m) + 3} y={BOTTOM + 20} fontSize={14} fill="var(--ink2)">
              {new Date(m).toLocaleDateString(undefined, { month: "short", year: "2-digit" })}
            </text>
          </g>
        ),
      )}
      <text x={LEFT - 38} y={12} fontSize={14} fill="var(--ink2)">
        h
      </text>
    </Figure>
  );
}

function monthsBetween(from: number, to: number): number[] {
  const out: number[] = [];
  const start = new Date(from);
  for (let m = new Date(start.getFullYear(), start.getMonth() + 1, 1); m.getTime() < to; m.setMonth(m.getMonth() + 1))
    out.push(m.getTime());
  return out;
}
