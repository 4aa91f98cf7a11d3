/** A screw's head seen from above, and how far it is turned: an arc with its arrow, and the figure. */
type Props = {
  x: number;
  y: number;
  turns: number;
  direction: string | null;
  label: string;
  r?: number;
};

export function TurnArc({ x, y, turns, direction, label, r = 15 }: Props) {
  const sign = direction === "anticlockwise" ? -1 : 1;
  // More than most of a turn is drawn as that; the figure says it all.
  const angle = Math.min(Math.max(turns, 0.04), 0.9) * 2 * Math.PI * sign;
  const at = (a: number): [number, number] => [x + (r + 6) * Math.sin(a), y - (r + 6) * Math.cos(a)];
  const [ex, ey] = at(angle);
  const along = angle + (sign * Math.PI) / 2;
  const tip = (turn: number) => `${ex - 7 * Math.sin(along + turn)} ${ey + 7 * Math.cos(along + turn)}`;
  const by = turns < 1 ? `${Math.round(360 * turns)}°` : `${turns.toFixed(2)} turns`;
  return (
    <g>
      <circle cx={x} cy={y} r={r} fill="var(--sheet)" stroke="var(--ink)" strokeWidth={1.5} />
      <path d={`M${x - r * 0.55} ${y}H${x + r * 0.55}M${x} ${y - r * 0.55}V${y + r * 0.55}`} stroke="var(--ink2)" />
      {direction ? (
        <>
          <path
            d={`M${at(0).join(" ")}A${r + 6} ${r + 6} 0 ${Math.abs(angle) > Math.PI ? 1 : 0} ${sign > 0 ? 1 : 0} ${ex} ${ey}`}
            fill="none"
            stroke="var(--go)"
            strokeWidth={3}
          />
          <path d={`M${tip(0.5)}L${ex} ${ey}L${tip(-0.5)}`} fill="none" stroke="var(--go)" strokeWidth={2.5} />
        </>
      ) : null}
      <text x={x} y={y + r + 20} textAnchor="middle" fontSize={14} fontWeight={600} fill="var(--ink)">
        {label}
      </text>
      <text x={x} y={y + r + 36} textAnchor="middle" fontSize={13} fill="var(--ink2)">
        {direction ? `${by} ${direction}` : "stays"}
      </text>
    </g>
  );
}
