/** Condition and fitness: a shape of its own, the word, and a tone. */
import type { Schemas } from "../api/client";

export type Condition = Schemas["AxisOut"]["condition"];
export type Fitness = Schemas["ConditionOut"]["fitness"];

export const WORD: Record<Condition, string> = {
  sound: "Sound",
  watch: "Watch",
  out_of_adjustment: "Out of adjustment",
  worn: "Worn",
  failed: "Failed",
  not_known: "Not known",
};
export const TONE: Record<Condition, string> = {
  sound: "var(--sound)",
  watch: "var(--watch)",
  out_of_adjustment: "var(--off)",
  worn: "var(--off)",
  failed: "var(--failed)",
  not_known: "var(--unknown)",
};

/** The bare shape, 16 by 16, for use inside a drawing. */
export function ConditionShape({ condition }: { condition: Condition }) {
  switch (condition) {
    case "sound":
      return <circle cx={8} cy={8} r={7} fill="currentColor" />;
    case "watch":
      return (
        <g>
          <path d="M8 8V1a7 7 0 1 0 7 7z" fill="currentColor" />
          <path d="M10 1.3a7 7 0 0 1 4.7 4.7" fill="none" stroke="currentColor" strokeWidth={1.6} />
        </g>
      );
    case "out_of_adjustment":
      return <path d="M7.6 1.5a5.6 5.6 0 0 0 0 11.2zM8.4 3.6a5.6 5.6 0 0 1 0 11.2z" fill="currentColor" />;
    case "worn":
      return (
        <g>
          <circle cx={8} cy={8} r={6.2} fill="none" stroke="currentColor" strokeWidth={1.6} />
          <path d="M1.8 8a6.2 6.2 0 0 0 12.4 0z" fill="currentColor" />
        </g>
      );
    case "failed":
      return (
        <g>
          <path d="M6.6 1.2a7 7 0 0 0 0 13.6zM9.4 1.2a7 7 0 0 1 0 13.6z" fill="currentColor" />
          <path d="M0 8h16" stroke="var(--sheet)" strokeWidth={2.4} />
        </g>
      );
    default:
      return (
        <circle cx={8} cy={8} r={6.2} fill="none" stroke="currentColor" strokeWidth={1.8} strokeDasharray="3 2.4" />
      );
  }
}

export function ConditionMark({ condition, word = true }: { condition: Condition; word?: boolean }) {
  return (
    <span
      className="inline-flex items-center gap-1.5 font-semibold whitespace-nowrap"
      style={{ color: TONE[condition] }}
    >
      <svg width={16} height={16} viewBox="0 0 16 16" aria-hidden="true">
        <ConditionShape condition={condition} />
      </svg>
      {word ? WORD[condition] : <span className="sr-only">{WORD[condition]}</span>}
    </span>
  );
}

const FITNESS: Record<Fitness, { word: string; tone: string }> = {
  fit: { word: "Fit for use", tone: "var(--sound)" },
  rough_only: { word: "Rough work only", tone: "var(--off)" },
  in_service: { word: "In service", tone: "var(--watch)" },
  look_first: { word: "Look first", tone: "var(--failed)" },
  tagged_out: { word: "Tagged out", tone: "var(--failed)" },
  not_known: { word: "Not known", tone: "var(--unknown)" },
};

export function FitnessWords({ fitness, reason }: { fitness: Fitness; reason: string }) {
  const f = FITNESS[fitness];
  return (
    <p className="font-semibold leading-snug" style={{ color: f.tone }}>
      {f.word}
      {reason && fitness !== "fit" ? <span className="font-normal text-ink2">: {reason}</span> : null}
    </p>
  );
}
