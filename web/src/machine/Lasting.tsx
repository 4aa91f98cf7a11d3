/** How long a part still lasts, and how long all of its kind and type have lasted in this workshop: a curve, and each part a mark. */
import { useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Loading } from "../kit/bits";
import { Figure } from "../kit/Figure";
import { counted } from "../kit/words";

type Life = Schemas["LifeOut"];

const W = 560;
const H = 250;
const LEFT = 70;
const BOTTOM = 168;
const TOP = 12;
/** Marks stand in rows below the curve: failed, taken out sound, running. */
const ROWS = [BOTTOM + 22, BOTTOM + 38, BOTTOM + 54];

export function Lasting({ id }: { id: number }) {
  const life = useQuery({
    queryKey: ["components", id, "life"],
    queryFn: () => got(api.GET("/api/components/{component_id}/life", { params: { path: { component_id: id } } })),
  });
  if (!life.data) return life.error ? <ErrorNote error={life.error} /> : <Loading what="how long it lasts" />;
  return (
    <div className="grid gap-2">
      <p>{stillLasts(life.data)}</p>
      {life.data.survival.length ? <Drawing life={life.data} /> : null}
      {life.data.survival.length && life.data.rows.length < life.data.parts ? (
        <p className="text-[15px] text-ink2">
          {life.data.rows.length} of them are drawn, from the shortest life to the longest.
        </p>
      ) : null}
    </div>
  );
}

const day = (iso: string) => new Date(iso).toLocaleDateString(undefined, { month: "long", year: "numeric" });

/** How long it still lasts, from what, and how sure, in words. */
export function stillLasts(life: Life): string {
  const l = life.left;
  if (!l)
    return life.expected_hours == null && !life.own
      ? "It does not wear by use: no life is expected of it."
      : "How long it still lasts cannot be said: how long it has run is not known. Read the meter.";
  const from = life.own
    ? `Of ${life.parts} of its kind here ${life.failures} have failed`
    : `By its expected life (${life.life_from}; half to double of it is usual)`;
  const hours = `${Math.round(l.hours)} h (${Math.round(l.low)} ${l.high == null ? "or more" : `to ${Math.round(l.high)}`})`;
  if (l.hours === 0 && !life.own) return `${from}: it is past it. It may go on for up to ${Math.round(l.high ?? 0)} h.`;
  const when = l.by
    ? `, about ${day(l.by)}${l.soonest ? ` (${day(l.soonest)} to ${l.latest ? day(l.latest) : "some day far off"})` : ""}`
    : "";
  return `${from}: half of such parts last another ${hours} of use${when}.`;
}

function Drawing({ life }: { life: Life }) {
  const longest = Math.max(life.survival[life.survival.length - 1]!.hours, ...life.rows.map((r) => r.hours));
  const x = scaleLinear([0, longest], [LEFT, W - 12]);
  const y = scaleLinear([0, 1], [BOTTOM, TOP]);
  const points = [{ hours: 0, share: 1, low: 1, high: 1 }, ...life.survival];
  const line = (of: (p: (typeof points)[number]) => number) =>
    points.map((p, i) => `${i ? "L" : "M"}${x(p.hours).toFixed(1)} ${y(of(p)).toFixed(1)}`).join("");
  const back = [...points]
    .reverse()
    .map((p) => `L${x(p.hours).toFixed(1)} ${y(p.low).toFixed(1)}`)
    .join("");
  const mine = life.rows.find((r) => r.this);
  const row = (r: Life["rows"][number]) => ROWS[r.failed ? 0 : r.runs ? 2 : 1]!;
  return (
    <Figure
      name="lasting"
      label={`Share that still runs, by hours of use. ${counted(life.failures, "has", "have")} failed, ${life.runs} run.`}
      width={W}
      height={H}
    >
      <path d={`${line((p) => p.high)}${back}Z`} fill="var(--well)" />
      {[0, 0.5, 1].map((t) => (
        <g key={t}>
          <path d={`M${LEFT} ${y(t)}H${W - 12}`} stroke="var(--hair)" />
          <text x={LEFT - 6} y={y(t) + 5} textAnchor="end" fontSize={14} fill="var(--ink2)">
            {`${100 * t} %`}
          </text>
        </g>
      ))}
      <path d={line((p) => p.share)} stroke="var(--ink)" strokeWidth={2} fill="none" />
      {mine ? (
        <g stroke="var(--go)">
          <path d={`M${x(mine.hours)} ${TOP}V${row(mine)}`} strokeDasharray="4 3" strokeWidth={1.6} />
          <text
            x={x(mine.hours) + (x(mine.hours) > W - 110 ? -6 : 6)}
            y={TOP + 14}
            textAnchor={x(mine.hours) > W - 110 ? "end" : "start"}
            fontSize={14}
            fontWeight={700}
            fill="var(--go)"
            stroke="none"
          >
            this one
          </text>
        </g>
      ) : null}
      <path d={`M${LEFT} ${BOTTOM}H${W - 12}`} stroke="var(--ink)" />
      {(["failed", "taken out", "runs"] as const).map((words, i) => (
        <text key={words} x={LEFT - 6} y={ROWS[i]! + 4} textAnchor="end" fontSize={12.5} fill="var(--ink2)">
          {words}
        </text>
      ))}
      {life.rows.map((r) => {
        const [cx, cy] = [x(r.hours), row(r)];
        const title = `${r.printer}, ${r.label}: ${Math.round(r.hours)} h, ${r.failed ? "failed" : r.runs ? "runs" : "taken out sound"}`;
        return (
          <g key={`${r.printer}${r.label}${r.hours}`} stroke={r.this ? "var(--go)" : "var(--ink)"} strokeWidth={1.6}>
            <title>{title}</title>
            {r.failed ? (
              <path d={`M${cx - 4} ${cy - 4}l8 8m0 -8l-8 8`} />
            ) : r.runs ? (
              <path d={`M${cx - 5} ${cy - 4.5}l9 4.5l-9 4.5z`} fill={r.this ? "var(--go)" : "none"} />
            ) : (
              <circle cx={cx} cy={cy} r={4} fill="none" />
            )}
          </g>
        );
      })}
      {x.ticks(6).map((t) => (
        <text key={t} x={x(t)} y={H - 6} textAnchor="middle" fontSize={14} fill="var(--ink2)">
          {t === 0 ? "0 h" : t}
        </text>
      ))}
    </Figure>
  );
}
