/** How loud each speed is over the pauses, as it was before beside it; and the parts that answer, where they do. */
import { scaleLinear } from "d3-scale";
import type { Schemas } from "../../api/client";
import { Figure } from "../../kit/Figure";
import type { Shown } from "../drawing";

const W = 640;
const H = 280;

function Levels({ found }: { found: Schemas["RattleResult"] }) {
  const speeds = found.rungs.map((r) => r.speed_mm_s);
  const before = new Map(
    (found.change ?? []).map((c) => {
      const now = found.rungs.find((r) => r.speed_mm_s === c.speed_mm_s)?.level.value ?? 0;
      return [c.speed_mm_s, now - c.db.value];
    }),
  );
  const top = Math.max(6, ...found.rungs.map((r) => r.level.value), ...before.values()) * 1.18;
  const slot = (W - 66) / speeds.length;
  const x = (i: number) => 56 + slot * (i + 0.5);
  const y = scaleLinear([0, top], [H - 40, 30]);
  const wide = Math.min(30, slot * 0.55);
  return (
    <>
      {y.ticks(5).map((v) => (
        <g key={v}>
          <path d={`M52 ${y(v)}H${W - 8}`} stroke="var(--hair)" />
          <text x={48} y={y(v) + 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
            {v}
          </text>
        </g>
      ))}
      <text x={4} y={14} fontSize={12} fill="var(--ink2)">
        dB over the pauses
      </text>
      <text x={W - 8} y={H - 4} textAnchor="end" fontSize={12} fill="var(--ink2)">
        speed, mm/s{before.size ? "; the bar in dashes is before" : ""}
      </text>
      {found.rungs.map((r, i) => {
        const answers = found.answers.filter((a) => a.speed_mm_s === r.speed_mm_s);
        const was = before.get(r.speed_mm_s);
        const level = Math.max(0, r.level.value);
        return (
          <g key={r.speed_mm_s}>
            {was === undefined ? null : (
              <rect
                x={x(i) - wide / 2 - 4}
                y={y(Math.max(0, was))}
                width={wide + 8}
                height={H - 40 - y(Math.max(0, was))}
                fill="none"
                stroke="var(--ink2)"
                strokeDasharray="4 3"
              />
            )}
            <rect
              x={x(i) - wide / 2}
              y={y(level)}
              width={wide}
              height={H - 40 - y(level)}
              fill={answers.length ? "var(--off)" : "var(--ink)"}
              fillOpacity={answers.length ? 0.85 : 0.55}
            />
            <path
              d={`M${x(i)} ${y(level - (r.level.u95 ?? 0))}V${y(level + (r.level.u95 ?? 0))}`}
              stroke="var(--ink)"
              strokeWidth={1.5}
            />
            <text x={x(i)} y={H - 22} textAnchor="middle" fontSize={12} fill="var(--ink)">
              {r.speed_mm_s}
            </text>
            {answers.map((a, k) => (
              <text
                key={a.frequency_hz.value}
                x={x(i)}
                y={y(level) - 8 - 15 * k}
                textAnchor="middle"
                fontSize={13}
                fontWeight={600}
                fill="var(--off)"
              >
                {a.frequency_hz.value.toFixed(0)} Hz
              </text>
            ))}
          </g>
        );
      })}
    </>
  );
}

export function sketch() {
  return { note: "Microphone at the frame, always in one place" };
}

/** What the heading says: what was found, or that nothing answers. */
export function title(found: Shown["capture"]["found"]) {
  if (found.procedure !== "rattle") return undefined;
  if (found.verdict_words === "quieter") return "Quieter than before";
  if (found.verdict_words === "louder") return "Louder than before";
  return found.answers.length ? `Something answers at ${found.answers[0]!.speed_mm_s} mm/s` : "Nothing answers";
}

export function Result({ capture }: Shown) {
  const found = capture.found;
  if (found.procedure !== "rattle") return null;
  return (
    <Figure
      name="rattle"
      label={`${found.rungs.length} speeds, loudest at ${found.loudest_speed_mm_s} mm/s; ${
        found.answers.map((a) => `${a.frequency_hz.value.toFixed(0)} hertz answers at ${a.speed_mm_s}`).join(", ") ||
        "nothing answers"
      }`}
      width={W}
      height={H}
    >
      <Levels found={found} />
    </Figure>
  );
}
