/** The tolerance strip: band and limits, the reading as a tick with its whisker, the one before as a ghost. */
import { scaleLinear } from "d3-scale";
import { useMe } from "../session/me";
import { preferred, type Quantity, sentence } from "./figures";

type Props = {
  label: string;
  quantity: Quantity | null;
  low?: number | null;
  high?: number | null;
  before?: Quantity | null;
  width?: number;
  /** Ends of the scale, where several strips stand on one. */
  ends?: [number, number];
  /** Where others stand: a light line across. */
  centre?: number;
};

export function Strip({
  label,
  quantity,
  low = null,
  high = null,
  before = null,
  width = 560,
  ends: shared,
  centre,
}: Props) {
  const me = useMe();
  const unit = quantity?.unit ?? before?.unit ?? "N";
  const { unit: shownUnit, factor } = preferred(unit, me);
  const marks = [low, high, quantity?.value, before?.value].filter((v): v is number => v != null);
  const ends = quantity?.u95
    ? [quantity.low ?? quantity.value - quantity.u95, quantity.high ?? quantity.value + quantity.u95]
    : null;
  const top = Math.max(...marks, ...(ends ?? [0])) || 1;
  const bottom = Math.min(...marks, ...(ends ?? []));
  const room = (top - bottom || top) * 0.18;
  const own: [number, number] = [bottom < 0 ? bottom - room : Math.max(0, bottom - room), top + room];
  const x = scaleLinear(shared ?? own, [6, width - 6]).clamp(shared !== undefined);
  const text = (v: number) => `${Number((v * factor).toPrecision(3))}`;
  const aria =
    `${label}: ${quantity ? sentence(quantity, me) : "not measured"}` +
    (low != null || high != null
      ? `, limits ${low != null ? text(low) : "none"} to ${high != null ? text(high) : "none"} ${shownUnit}`
      : "") +
    (before ? `, before ${sentence(before, me)}` : "");
  return (
    <svg viewBox={`0 0 ${width} 66`} className="block w-full" role="img" aria-label={aria} style={{ maxWidth: width }}>
      <path d={`M0 34H${width}`} stroke="var(--line)" />
      {low != null || high != null ? (
        <rect
          x={x(low ?? x.domain()[0]!)}
          y={20}
          width={x(high ?? x.domain()[1]!) - x(low ?? x.domain()[0]!)}
          height={28}
          fill="var(--band)"
          stroke="var(--bandline)"
        />
      ) : null}
      {[low, high].map((v, i) =>
        v == null ? null : (
          <g key={i === 0 ? "low" : "high"}>
            <path d={`M${x(v)} 14v40`} stroke="var(--ink)" strokeWidth={2} />
            <text x={x(v)} y={65} textAnchor="middle" fontSize={13} fill="var(--ink2)">
              {text(v)}
              {i === 1 || high == null ? ` ${shownUnit}` : ""}
            </text>
          </g>
        ),
      )}
      {centre === undefined ? null : <path d={`M${x(centre)} 8v52`} stroke="var(--ink2)" strokeDasharray="5 4" />}
      {before ? (
        <g>
          <path d={`M${x(before.value)} 16v36`} stroke="var(--ink2)" strokeWidth={2.5} strokeDasharray="2 4" />
          <text x={x(before.value)} y={11} textAnchor="middle" fontSize={13} fill="var(--ink2)">
            before
          </text>
        </g>
      ) : null}
      {quantity ? (
        <g stroke="var(--ink)">
          {ends ? (
            <path d={`M${x(ends[0]!)} 34H${x(ends[1]!)}M${x(ends[0]!)} 27v14M${x(ends[1]!)} 27v14`} strokeWidth={2} />
          ) : null}
          <path d={`M${x(quantity.value)} 12v44`} strokeWidth={4.5} />
        </g>
      ) : null}
    </svg>
  );
}
