/** The machine's sketch with every part on it: a note at each place, in it a mark for each part that sits there, by its condition. */
import type { Schemas } from "../api/client";
import { type Condition, ConditionShape, TONE, WORD } from "../kit/Condition";
import { anchor, type Description } from "../kit/motion";
import { SKETCH, Sketch } from "../kit/Sketch";
import { inside, saidPlace } from "../kit/words";
import { callouts } from "./callouts";

type Part = Schemas["SittingPart"];

/** A note's width, its head, a mark's room; so many marks to a row. */
const WIDE = 118;
const HEAD = 22;
const MARK = 28;
const ROW = 4;
const SIDE = 22;
const W = 2 * WIDE + 2 * SIDE + SKETCH[0];

/** What wants somebody first is what a note is framed by. */
const WORST: Condition[] = ["failed", "worn", "out_of_adjustment", "watch", "not_known", "sound"];

type Props = {
  description: Description;
  parts: Part[];
  place: string | null;
  open: number | null;
  onPlace: (place: string) => void;
  onPart: (part: Part) => void;
};

export function PartsSketch({ description, parts, place, open, onPlace, onPart }: Props) {
  const places = [...new Set(parts.map((p) => p.place))];
  const of = (at: string) => parts.filter((p) => p.place === at);
  const height = (at: string) => HEAD + MARK * Math.ceil(of(at).length / ROW) + 4;
  const { notes, height: long } = callouts(
    places.map((at) => ({ place: at, height: height(at), anchor: anchor(description, at) })),
  );
  const tall = Math.max(long, SKETCH[1]) + 4;
  const at = { x: WIDE + SIDE, y: (tall - SKETCH[1]) / 2 };
  const belts = Object.fromEntries(parts.filter((p) => p.kind === "belt").map((p) => [p.place, p.condition]));
  const key = (run: () => void) => (e: React.KeyboardEvent) => {
    if (e.key !== "Enter" && e.key !== " ") return;
    e.preventDefault();
    run();
  };
  return (
    <svg viewBox={`0 0 ${W} ${tall}`} className="block w-full" role="group" aria-label="The machine with its parts">
      <Sketch description={description} conditions={belts} lit={place} plain within={at} />
      {notes.map((n) => {
        const [ax, ay] = anchor(description, n.place);
        const x = n.left ? 1 : W - WIDE - 1;
        const y = n.y + 2 + (tall - 4 - long) / 2;
        const on = place === n.place;
        const here = of(n.place);
        const worst = WORST.find((c) => here.some((p) => p.condition === c))!;
        const wants = WORST.indexOf(worst) < 4;
        return (
          <g key={n.place}>
            <path
              d={`M${n.left ? x + WIDE : x} ${y + HEAD / 2}L${at.x + ax} ${at.y + ay}`}
              stroke={on ? "var(--go)" : "var(--ink2)"}
              strokeWidth={on ? 1.8 : 0.9}
            />
            <circle cx={at.x + ax} cy={at.y + ay} r={3} fill={on ? "var(--go)" : "var(--ink2)"} />
            <g
              role="button"
              tabIndex={0}
              aria-pressed={on}
              aria-label={`${saidPlace(n.place)}: ${here.length} ${here.length === 1 ? "part" : "parts"}`}
              style={{ cursor: "pointer" }}
              onClick={() => onPlace(n.place)}
              onKeyDown={key(() => onPlace(n.place))}
            >
              <rect
                x={x}
                y={y}
                width={WIDE}
                height={height(n.place)}
                rx={2}
                fill={on ? "var(--well)" : "var(--sheet)"}
                stroke={on ? "var(--go)" : wants ? TONE[worst] : "var(--line)"}
                strokeWidth={on || wants ? 2 : 1}
              />
              <text x={x + 7} y={y + 16} fontSize={14.5} fontWeight={700} fill="var(--ink)">
                {saidPlace(n.place)}
              </text>
            </g>
            {here.map((p, i) => (
              <g
                key={p.id}
                role="button"
                tabIndex={0}
                aria-label={`${p.label}: ${inside(WORD[p.condition])}`}
                aria-expanded={open === p.id}
                style={{ cursor: "pointer", color: TONE[p.condition] }}
                transform={`translate(${x + 3 + (i % ROW) * MARK} ${y + HEAD + Math.floor(i / ROW) * MARK})`}
                onClick={() => onPart(p)}
                onKeyDown={key(() => onPart(p))}
              >
                <title>{`${p.label}: ${inside(WORD[p.condition])}`}</title>
                <rect
                  width={MARK}
                  height={MARK}
                  rx={2}
                  fill="transparent"
                  stroke={open === p.id ? "var(--ink)" : "none"}
                  strokeWidth={2}
                />
                <g transform="translate(6 6)">
                  <ConditionShape condition={p.condition} />
                </g>
              </g>
            ))}
          </g>
        );
      })}
    </svg>
  );
}
