/** The figures a measurement asks for: each with its unit, where it is from when nobody types it, and its error. */
import { Refusal, type Schemas } from "../api/client";
import { Choices, Field, fieldError, INPUT } from "../kit/bits";
import { parseFigure } from "../kit/figures";

export type Asked = Schemas["FieldHere"];
/** What was typed, by field; a band's two ends as `name.low` and `name.high`. */
export type Texts = Record<string, string>;

const ORIGIN: Record<NonNullable<Asked["origin"]>, string> = {
  typed: "",
  model: "From the model.",
  limit: "The workshop's limit.",
  workshop: "The workshop's setting.",
  instrument: "",
  stored: "From the ledger.",
  last: "As last time.",
  measured: "As measured before.",
  typical: "Typical.",
};

/** What stands in a field: what was typed there, else what is known. */
export function standing(f: Asked, texts: Texts, end?: "low" | "high"): string {
  const typed = texts[end ? `${f.name}.${end}` : f.name];
  if (typed !== undefined) return typed;
  if (f.value == null) return f.kind === "choice" ? (f.choices[0]?.value ?? "") : "";
  if (typeof f.value === "object") return String(f.value[end ?? "low"]);
  return typeof f.value === "number" ? String(Number(f.value.toPrecision(8))) : String(f.value);
}

/** The fields that are asked as the choices stand. */
export function wanted(fields: Asked[], texts: Texts, all: Asked[] = fields): Asked[] {
  return fields.filter((f) => {
    if (!f.when) return true;
    const other = all.find((o) => o.name === f.when);
    return !other || f.when_is.includes(standing(other, texts));
  });
}

function figure(f: Asked, text: string): number {
  const value = parseFigure(text);
  if (value === null) {
    const words = text.trim() ? `“${text.trim()}” is not a figure.` : `${f.hint} Enter a figure.`.trim();
    throw new Refusal(422, "missing_field", `${f.title}: ${words}`, f.name);
  }
  const low = f.low !== null && (f.above ? value <= f.low : value < f.low);
  if (low || (f.high !== null && value > f.high)) {
    const least = f.above ? `more than ${f.low}` : `at least ${f.low}`;
    const words = `${f.title} must be ${least} and at most ${f.high}${f.unit ? ` ${f.unit}` : ""}.`;
    throw new Refusal(422, "out_of_range", words, f.name);
  }
  return value;
}

/** What was typed, as the core takes it; what is left as it is known is not sent. The first thing wrong is thrown at its field. */
export function typedContext(fields: Asked[], texts: Texts): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const f of wanted(fields, texts)) {
    if (f.kind === "band") {
      const touched = texts[`${f.name}.low`] !== undefined || texts[`${f.name}.high`] !== undefined;
      if (touched)
        out[f.name] = { low: figure(f, standing(f, texts, "low")), high: figure(f, standing(f, texts, "high")) };
      continue;
    }
    const typed = texts[f.name];
    if (f.kind === "choice" || f.kind === "yes_no") {
      if (typed !== undefined) out[f.name] = f.kind === "yes_no" ? typed === "true" : typed;
      continue;
    }
    if (typed === undefined && f.value != null) continue;
    if (!typed?.trim() && f.optional) continue;
    out[f.name] = figure(f, typed ?? "");
  }
  return out;
}

type Remark = { words: string; grave: boolean };
type Props = {
  fields: Asked[];
  /** Where some of these hang on a choice that stands elsewhere: all of them. */
  all?: Asked[];
  /** What makes no sense, or is only odd, by field. */
  remarks?: Record<string, Remark>;
  /** What the model tells is being told here: then that need not be said. */
  here?: boolean;
  texts: Texts;
  onText: (name: string, text: string) => void;
  error: unknown;
  instrument?: string;
  locked?: boolean;
};

export function Fields({ fields, all, ...rest }: Props) {
  return wanted(fields, rest.texts, all).map((f) => <One key={f.name} f={f} {...rest} />);
}

function One({
  f,
  texts,
  onText,
  error,
  instrument,
  locked,
  remarks,
  here,
}: Omit<Props, "fields" | "all"> & { f: Asked }) {
  const label = f.unit ? `${f.title}, ${f.unit}` : f.title;
  const touched = texts[f.name] !== undefined || texts[`${f.name}.low`] !== undefined;
  const origin =
    touched || !f.origin || (here && f.origin === "model")
      ? ""
      : f.origin === "instrument"
        ? `${instrument ?? "The instrument"}'s.`
        : ORIGIN[f.origin];
  // A hint that says itself what is typical need not be told so again.
  const hint = [f.hint, origin === "Typical." && (f.hint.includes("typical") || f.kind !== "figure") ? "" : origin]
    .filter(Boolean)
    .join(" ");
  const remark = remarks?.[f.name];
  const wrong = fieldError(error, f.name) ?? (remark?.grave ? remark.words : undefined);
  if (f.kind === "yes_no")
    return (
      <label className="flex min-h-11 items-center gap-3 sm:col-span-full">
        <input
          type="checkbox"
          className="h-6 w-6 accent-[var(--ink)]"
          disabled={locked}
          checked={standing(f, texts) === "true"}
          onChange={(e) => onText(f.name, String(e.target.checked))}
        />
        {f.title}
      </label>
    );
  if (f.kind === "choice" && f.choices.some((c) => c.hint)) {
    const now = standing(f, texts);
    return (
      <div className="grid gap-2 sm:col-span-full">
        <Choices label={f.title} options={f.choices} value={now} onChange={(v) => onText(f.name, v)} />
        <p>{f.choices.find((c) => c.value === now)?.hint}</p>
      </div>
    );
  }
  const input = (id: string, note: string | undefined, end?: "low" | "high") => (
    <input
      id={end === "high" ? undefined : id}
      aria-label={end ? `${f.title}, ${end === "low" ? "at least" : "at most"}, ${f.unit}` : undefined}
      aria-describedby={note}
      aria-invalid={wrong !== undefined}
      inputMode={f.kind === "text" ? "text" : "decimal"}
      className={f.kind === "text" ? INPUT : `${INPUT} font-mono`}
      maxLength={f.kind === "text" ? 80 : 40}
      disabled={locked}
      value={standing(f, texts, end)}
      onChange={(e) => onText(end ? `${f.name}.${end}` : f.name, e.target.value)}
    />
  );
  return (
    <Field label={label} hint={remark && !remark.grave ? `Is this so? ${remark.words}` : hint} error={wrong}>
      {(id, note) =>
        f.kind === "choice" ? (
          <select
            id={id}
            aria-describedby={note}
            className={INPUT}
            disabled={locked}
            value={standing(f, texts)}
            onChange={(e) => onText(f.name, e.target.value)}
          >
            {f.choices.map((c) => (
              <option key={c.value} value={c.value}>
                {c.label}
              </option>
            ))}
          </select>
        ) : f.kind === "band" ? (
          <div className="grid grid-cols-2 gap-2">
            {input(id, note, "low")}
            {input(id, note, "high")}
          </div>
        ) : (
          input(id, note)
        )
      }
    </Field>
  );
}
