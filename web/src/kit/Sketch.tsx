/** The machine sketch: a line drawing of the motion system made from its description; belts carry their condition. */
import { type Condition, ConditionShape, TONE } from "./Condition";
import { type Description, layout, type P2, wallOn } from "./motion";

type Props = {
  description: Description;
  conditions?: Record<string, Condition>;
  lit?: string | null;
  note?: string;
  onPick?: (place: string) => void;
  className?: string;
  plain?: boolean;
  /** A wall of a part on the bed, by the way it runs. */
  wall?: "x" | "y" | null;
  /** Where it lies in a drawing around it. */
  within?: { x: number; y: number };
};

/** Width and height of the drawing. */
export const SKETCH: P2 = [320, 290];

export const path = (points: P2[]) =>
  points.map(([x, y], i) => `${i ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`).join("");

export function Sketch({
  description,
  conditions = {},
  lit = null,
  note,
  onPick,
  className = "",
  plain = false,
  wall = null,
  within,
}: Props) {
  const d = layout(description);
  const names = Object.keys(d.belts).map((p) => p.toUpperCase());
  const part = wall ? wallOn(description.kinematics, wall) : null;
  const span = lit ? d.belts[lit]?.span : undefined;
  return (
    <svg
      viewBox={`0 0 ${SKETCH[0]} ${SKETCH[1]}`}
      {...(within ? { ...within, width: SKETCH[0], height: SKETCH[1] } : {})}
      className={`block ${className}`}
      fill="none"
      strokeLinejoin="round"
      strokeLinecap="round"
      role={onPick ? "group" : "img"}
      aria-label={
        wall
          ? `Sketch of the machine with a part on its bed; the wall that runs along ${wall.toUpperCase()} is lit, an arrow shows motion across it`
          : lit && note
            ? `Sketch of the machine, belt ${lit.toUpperCase()} lit: ${note}`
            : `Sketch of the machine with belts ${names.join(", ")}`
      }
    >
      <g stroke="var(--line)" strokeWidth={3.5} opacity={0.55}>
        {d.frame.map((p) => (
          <path key={path(p)} d={path(p)} />
        ))}
      </g>
      <g stroke="var(--ink2)" strokeWidth={1.4}>
        {d.plates.map((p) => (
          <path key={path(p)} d={path(p)} fill="var(--well)" fillOpacity={0.8} />
        ))}
        {Object.entries(d.screws).map(([place, p]) => (
          <path key={place} d={path(p)} strokeWidth={3} strokeDasharray="2 3.4" strokeLinecap="butt" />
        ))}
      </g>
      <g stroke="var(--line)" strokeWidth={2.6}>
        {d.rails.map((p) => (
          <path key={path(p)} d={path(p)} />
        ))}
      </g>
      {Object.entries(d.belts).map(([place, b]) => {
        const on = place === lit;
        const condition = conditions[place];
        const tone = on ? "var(--go)" : condition ? TONE[condition] : "var(--ink2)";
        const pick = onPick
          ? {
              role: "button",
              tabIndex: 0,
              "aria-label": `Belt ${place.toUpperCase()}`,
              onClick: () => onPick(place),
              onKeyDown: (e: React.KeyboardEvent) => {
                if (e.key === "Enter" || e.key === " ") {
                  e.preventDefault();
                  onPick(place);
                }
              },
              style: { cursor: "pointer" },
            }
          : {};
        return (
          <g key={place} stroke={tone} strokeWidth={on ? 2.6 : 1.8} {...pick}>
            {onPick ? <path d={path(b.loop)} stroke="transparent" strokeWidth={22} /> : null}
            <path d={path(b.loop)} strokeDasharray={place === "b" || place === "y2" ? "7 4" : undefined} />
            {b.pulleys.map(([x, y]) => (
              <circle
                key={`${x} ${y}`}
                cx={x}
                cy={y}
                r={4.2}
                fill="var(--sheet)"
                stroke={on ? "var(--go)" : "var(--ink)"}
                strokeWidth={1.5}
              />
            ))}
          </g>
        );
      })}
      <path d={path(d.head)} fill="var(--sheet)" stroke="var(--ink)" strokeWidth={1.8} />
      {span ? <path d={path(span)} stroke="var(--go)" strokeWidth={6.5} /> : null}
      {part ? (
        <g stroke="var(--ink)" strokeWidth={1.6}>
          {part.part.map((p) => (
            <path key={path(p)} d={path(p)} fill="var(--sheet)" />
          ))}
          <path d={path(part.face)} fill="var(--go)" stroke="var(--go)" strokeWidth={2} />
          <path d={path(part.arrow)} stroke="var(--ink)" strokeWidth={4} />
          {[0, 1].map((end) => {
            const [tip, tail] = end ? [part.arrow[1], part.arrow[0]] : part.arrow;
            const long = Math.hypot(tip[0] - tail[0], tip[1] - tail[1]);
            const [ux, uy] = [(tail[0] - tip[0]) / long, (tail[1] - tip[1]) / long];
            const wing = (s: number): P2 => [tip[0] + 11 * ux - s * 6 * uy, tip[1] + 11 * uy + s * 6 * ux];
            return <path key={end} d={`${path([wing(1), tip, wing(-1)])}Z`} fill="var(--ink)" strokeWidth={1} />;
          })}
        </g>
      ) : null}
      {plain || wall
        ? null
        : Object.entries(d.belts).map(([place, b]) => {
            const [x, y] = b.label;
            const on = place === lit;
            const condition = conditions[place];
            return (
              <g
                key={place}
                transform={`translate(${Math.min(Math.max(x - 13, 2), 262)} ${Math.min(Math.max(y - 31, 2), 262)})`}
                pointerEvents="none"
              >
                <rect
                  width={condition ? 50 : 28}
                  height={24}
                  rx={2}
                  fill={on ? "var(--go)" : "var(--sheet)"}
                  stroke={on ? "var(--go)" : "var(--ink)"}
                />
                <text
                  x={14}
                  y={17}
                  textAnchor="middle"
                  fontSize={15}
                  fontWeight={700}
                  fill={on ? "var(--goink)" : "var(--ink)"}
                >
                  {place.toUpperCase()}
                </text>
                {condition ? (
                  <g transform="translate(29 4)" style={{ color: on ? "var(--goink)" : TONE[condition] }}>
                    <ConditionShape condition={condition} />
                  </g>
                ) : null}
              </g>
            );
          })}
    </svg>
  );
}
