/** How a symptom looks: a small line drawing from the atlas. The word beside it names it; to those who do not see it is nothing. */
import type { Schemas } from "../api/client";

type Line = Schemas["Line"];

/** The print stands out, what is wrong stands out more, how it should be is dashed. */
const STROKE: Record<Line["of"], { stroke: string; width: number; dash?: string }> = {
  bed: { stroke: "var(--line)", width: 2 },
  machine: { stroke: "var(--line)", width: 1.75 },
  right: { stroke: "var(--ink2)", width: 1.25, dash: "3 3" },
  part: { stroke: "var(--ink)", width: 2 },
  trouble: { stroke: "var(--off)", width: 2.5 },
};

export function SymptomDrawing({ lines, className }: { lines: Line[]; className?: string }) {
  return (
    <svg viewBox="0 0 96 72" aria-hidden="true" className={className}>
      {lines.map(({ of, d }) => (
        <path
          key={`${of} ${d}`}
          d={d}
          fill="none"
          stroke={STROKE[of].stroke}
          strokeWidth={STROKE[of].width}
          strokeDasharray={STROKE[of].dash}
          strokeLinecap="round"
          strokeLinejoin="round"
        />
      ))}
    </svg>
  );
}
