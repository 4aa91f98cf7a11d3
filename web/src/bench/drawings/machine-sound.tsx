/** A machine's sound: what is new in it against when all was well. */
import type { Found, Shown } from "../drawing";

export function title(found: Found): string | undefined {
  if (found.procedure !== "machine-sound") return undefined;
  return {
    kept: "Its healthy sound is kept",
    alike: "It sounds as it did",
    other: "Something is new in it",
    cannot_tell: "It cannot be told",
  }[found.likeness];
}

export function Result({ capture }: Shown) {
  const found = capture.found;
  if (found.procedure !== "machine-sound" || !found.new.length) return null;
  return (
    <ul className="rows">
      {found.new.map((n) => (
        <li key={n.low_hz} className="flex justify-between gap-4 py-1.5">
          <span>{n.words[0]!.toUpperCase() + n.words.slice(1)}</span>
          <span className="font-mono whitespace-nowrap">
            {n.rise.value.toFixed(0)} ± {(n.rise.u95 ?? 0).toFixed(0)} dB louder
          </span>
        </li>
      ))}
    </ul>
  );
}
