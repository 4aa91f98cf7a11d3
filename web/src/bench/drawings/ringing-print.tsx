/** Ripples after a corner: whose they are, from where they count, and what a shaper would leave of them. */
import type { Shown } from "../drawing";
import { ShaperTable } from "../ShaperTable";

export function Result({ capture }: Shown) {
  const found = capture.found;
  if (found.procedure !== "ringing-print") return null;
  return (
    <>
      {found.whose ? <p className="text-[19px] font-semibold">{found.whose}</p> : null}
      {found.count_from_mm != null ? (
        <p>
          Count only from {found.count_from_mm.toFixed(1)} mm after the corner: before, the head is still speeding up.
        </p>
      ) : null}
      <ShaperTable shapers={found.shapers ?? []} recommended={found.recommended} />
    </>
  );
}
