/** The moves of a travel test to take along: start, travel, and where the axis ends. */
import { useState } from "react";
import { Field, INPUT } from "../kit/bits";
import { parseFigure } from "../kit/figures";

const FIELDS = [
  ["start_mm", "Begin at, mm", "20"],
  ["travel_mm", "Travel, mm", "100"],
  ["low_mm", "Axis begins at, mm", "0"],
  ["high_mm", "Axis ends at, mm", "200"],
] as const;

export function TravelProgram({ axis }: { axis: string }) {
  const [texts, setTexts] = useState<Record<string, string>>(Object.fromEntries(FIELDS.map(([n, , v]) => [n, v])));
  const query = new URLSearchParams({
    axis,
    ...Object.fromEntries(FIELDS.map(([n]) => [n, String(parseFigure(texts[n] ?? "") ?? "")])),
  });
  return (
    <details className="border-y border-hair py-2">
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">The moves as G-code</summary>
      <div className="grid gap-3 py-2 sm:grid-cols-4">
        {FIELDS.map(([name, label]) => (
          <Field key={name} label={label}>
            {(id) => (
              <input
                id={id}
                inputMode="decimal"
                className={`${INPUT} font-mono`}
                value={texts[name]}
                onChange={(e) => setTexts({ ...texts, [name]: e.target.value })}
              />
            )}
          </Field>
        ))}
      </div>
      <p>
        Slow, inside the axis less a margin, each end approached from below; it waits for you at both ends.{" "}
        <a href={`/api/programs/travel.gcode?${query}`} download>
          Take the moves along
        </a>
      </p>
    </details>
  );
}
