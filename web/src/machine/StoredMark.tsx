/** Whether a stored value may be believed: by shape and word. */
import type { Schemas } from "../api/client";

const WORDS: Record<Schemas["StoredOut"]["stand"], string> = {
  valid: "valid",
  in_doubt: "in doubt",
  superseded: "superseded",
};

export function StoredMark({ stand }: { stand: Schemas["StoredOut"]["stand"] }) {
  return (
    <span className="inline-flex items-center gap-1.5 font-semibold text-ink">
      <svg viewBox="0 0 14 14" className="h-3.5 w-3.5" aria-hidden="true">
        {stand === "valid" ? (
          <rect x="1.5" y="1.5" width="11" height="11" fill="currentColor" />
        ) : (
          <rect
            x="1.5"
            y="1.5"
            width="11"
            height="11"
            fill="none"
            stroke="currentColor"
            strokeWidth="1.8"
            strokeDasharray={stand === "in_doubt" ? "3 2" : undefined}
          />
        )}
        {stand === "superseded" ? <path d="M2 12L12 2" stroke="currentColor" strokeWidth="1.8" /> : null}
      </svg>
      {WORDS[stand]}
    </span>
  );
}
