/** The symptom atlas: what can be met, by drawings as well as words, so that one can point at it. */
import { useState } from "react";
import type { Schemas } from "../api/client";
import { TextField } from "../kit/bits";
import { SymptomDrawing } from "../kit/SymptomDrawing";
import { fits, MET } from "./knowledge";

type Finding = Schemas["FindingOut"];

/** ``bare``: without a field of its own to find by letters, where one stands beside it. */
type Props = { findings: Finding[]; chosen: string[]; toggle: (f: Finding) => void; bare?: boolean };

export function Atlas({ findings, chosen, toggle, bare }: Props) {
  const [typed, setTyped] = useState("");
  const within = new Set(findings.flatMap((f) => f.either));
  // What is a closer word for another comes once that one is chosen, or by its letters.
  const rows = findings.filter((f) =>
    typed.trim()
      ? fits(f, typed.trim())
      : !f.qualifies && (!within.has(f.id) || f.kind === "danger" || chosen.includes(f.id)),
  );
  const groups = MET.map(([group, words]) => ({ words, rows: rows.filter((f) => f.group === group) }));
  const shown = groups.filter((g) => g.rows.length > 0);
  return (
    <div className="grid gap-4">
      {bare ? null : (
        <TextField
          label="Find it by a few letters"
          hint="Or point at what looks like it."
          autoComplete="off"
          value={typed}
          onText={setTyped}
        />
      )}
      {shown.length ? null : (
        <p>Nothing is called that. Choose what comes nearest, and tell the rest in your own words.</p>
      )}
      {shown.map(({ words, rows: cards }) => (
        <fieldset key={words}>
          <legend className="text-[17px] font-semibold">{words}</legend>
          <ul
            className={`mt-1.5 grid gap-2 ${bare ? "grid-cols-2" : "grid-cols-[repeat(auto-fill,minmax(132px,1fr))]"}`}
          >
            {cards.map((f) => (
              <li key={f.id}>
                <button
                  type="button"
                  aria-pressed={chosen.includes(f.id)}
                  onClick={() => toggle(f)}
                  className="flex h-full w-full cursor-pointer flex-col items-center gap-1 rounded-[3px] border border-hair p-2 text-center text-[15px] leading-tight hover:bg-well aria-pressed:border-2 aria-pressed:border-ink aria-pressed:bg-well aria-pressed:font-semibold"
                >
                  {f.drawing?.length ? <SymptomDrawing lines={f.drawing} className="w-[92px]" /> : null}
                  {f.label}
                </button>
              </li>
            ))}
          </ul>
        </fieldset>
      ))}
    </div>
  );
}
