/** What this workshop knows otherwise: a fault or a check changed field by field, what was changed, and the way back. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { GROUPS, useFindings } from "../case/knowledge";
import { Button, ErrorNote, Field, fieldError, INPUT, LongField, TextField } from "../kit/bits";
import { ago, parseFigure } from "../kit/figures";
import { useDraft } from "../kit/useDraft";
import { capital } from "../kit/words";
import { atLeast, useMe } from "../session/me";

export type Changed = Schemas["ChangedOut"];
type Kind = Changed["kind"];
type Shown = Schemas["ShownOut"];
/** What a field of the form holds: as typed, several things on a line each. */
type Typed = { fields: Record<string, string>; shows: Record<string, string>; why: string };

/** A field that is changed here: how many lines it takes (a figure: none), and whether it is a list. */
type Asked = { field: string; label: string; hint?: string; lines?: number; list?: boolean };
const MINUTES: Asked = { field: "minutes", label: "Minutes for a practised hand" };
const TOOLS: Asked = { field: "tools", label: "Have at hand", hint: "One on a line.", lines: 2, list: true };
const CAUTION: Asked = {
  field: "caution",
  label: "Caution",
  hint: "It cannot be left out: who does this the first time reads it here.",
  lines: 2,
};
const NOTE: Asked = {
  field: "note",
  label: "What we know here besides",
  hint: "Stands beside the steps, marked as yours.",
  lines: 2,
};
export const OF_FAULT: Asked[] = [
  { field: "base", label: "In so many of a hundred complaints" },
  MINUTES,
  { field: "steps", label: "What to do", hint: "A step on a line.", lines: 6, list: true },
  CAUTION,
  TOOLS,
  { field: "parts", label: "Parts", hint: "One on a line.", lines: 2, list: true },
  { field: "then", label: "When it was not enough", lines: 2 },
  NOTE,
];
export const ofCheck = (atBench: boolean): Asked[] => [
  MINUTES,
  { field: "how", label: "How it is done", hint: "A step on a line.", lines: 6, list: true },
  // What is measured at the bench has its tools and its caution on its card.
  ...(atBench ? [] : [CAUTION, TOOLS]),
  NOTE,
];

const KEY = ["knowledge", "changed"];
export const useChanged = () =>
  useQuery({ queryKey: KEY, queryFn: () => got(api.GET("/api/knowledge/changed")), staleTime: 60_000 });

type Sent = { mend: Record<string, unknown>; back: string[]; why: string };

/** Changes what is known of one thing; everything that is read of it is fetched anew. */
function useMend(kind: Kind, name: string, done: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Sent) => {
      const params = { path: { name } };
      return kind === "fault"
        ? got(
            api.POST("/api/knowledge/faults/{name}", { params, body: { ...body, mend: { shows: {}, ...body.mend } } }),
          )
        : got(api.POST("/api/knowledge/checks/{name}", { params, body }));
    },
    onSuccess: (rows) => {
      client.setQueryData(KEY, rows);
      client.invalidateQueries({ queryKey: ["knowledge"] });
      client.invalidateQueries({ queryKey: ["cases"] });
      done();
    },
  });
}

type Value = string | number | readonly string[];
const typedOf = (value: Value) => (typeof value === "object" ? value.join("\n") : String(value));
const linesOf = (typed: string) =>
  typed
    .split("\n")
    .map((l) => l.trim())
    .filter(Boolean);

type Props = {
  kind: Kind;
  name: string;
  asked: Asked[];
  now: Record<string, Value>;
  /** Of a fault: what it shows now. */
  shows?: Shown[];
};

/** The button that opens the form, and the form. Only the lead's. */
export function MendHere(props: Props) {
  const [open, setOpen] = useState(false);
  if (!atLeast(useMe(), "lead")) return null;
  if (!open)
    return (
      <div>
        <Button onClick={() => setOpen(true)}>Change it for this workshop</Button>
      </div>
    );
  return <MendForm {...props} leave={() => setOpen(false)} />;
}

function MendForm({ kind, name, asked, now, shows, leave }: Props & { leave: () => void }) {
  const blank: Typed = { fields: {}, shows: {}, why: "" };
  const [draft, setDraft, clear] = useDraft<Typed>(`mend ${kind} ${name}`, blank);
  const [wrong, setWrong] = useState<Record<string, string>>({});
  const mend = useMend(kind, name, () => {
    clear();
    leave();
  });
  const typed = (field: string) => draft.fields[field] ?? typedOf(now[field] ?? "");
  const type = (field: string, text: string) => setDraft({ ...draft, fields: { ...draft.fields, [field]: text } });
  const send = () => {
    const told: Record<string, unknown> = {};
    const bad: Record<string, string> = {};
    for (const a of asked) {
      const text = draft.fields[a.field];
      if (text === undefined || text === typedOf(now[a.field] ?? "")) continue;
      if (a.list) told[a.field] = linesOf(text);
      else if (a.lines) told[a.field] = text.trim();
      else if (parseFigure(text) === null) bad[a.field] = "Enter a figure.";
      else told[a.field] = parseFigure(text);
    }
    const rates: Record<string, number> = {};
    for (const [finding, text] of Object.entries(draft.shows)) {
      const percent = parseFigure(text);
      if (percent === null || percent < 0 || percent > 99) bad[finding] = "Enter 0 to 99.";
      else rates[finding] = percent / 100;
    }
    setWrong(bad);
    if (Object.keys(bad).length) return;
    if (Object.keys(rates).length) told.shows = rates;
    mend.mutate({ mend: told, back: [], why: draft.why });
  };
  return (
    <form
      className="grid gap-3 border-t border-hair pt-4"
      aria-label="Change it for this workshop"
      onSubmit={(e) => {
        e.preventDefault();
        send();
      }}
    >
      <p className="max-w-[42em] text-ink2">
        What you change holds in this workshop, from the next look at a case on. How it came is kept beside it, and you
        can go back field by field.
      </p>
      <div className="grid gap-3 sm:grid-cols-2">
        {asked.map((a) => {
          const common = {
            label: a.label,
            hint: a.hint,
            error: wrong[a.field] ?? fieldError(mend.error, `mend.${a.field}`),
            value: typed(a.field),
            onText: (text: string) => type(a.field, text),
          };
          if (!a.lines) return <TextField key={a.field} {...common} figure />;
          return (
            <div key={a.field} className={a.lines > 2 ? "sm:col-span-2" : undefined}>
              <LongField {...common} rows={a.lines} maxLength={a.list ? 6000 : 600} />
            </div>
          );
        })}
      </div>
      {shows ? (
        <Rates
          shows={shows}
          typed={draft.shows}
          wrong={wrong}
          error={fieldError(mend.error, "shows")}
          onType={(next) => setDraft({ ...draft, shows: next })}
        />
      ) : null}
      <TextField
        label="Why?"
        hint="So that the next one knows: what was met here, since when."
        maxLength={300}
        value={draft.why}
        onText={(why) => setDraft({ ...draft, why })}
      />
      <ErrorNote error={mend.error} />
      <div className="flex flex-wrap gap-3">
        <Button next type="submit" disabled={mend.isPending}>
          Keep it so here
        </Button>
        <Button
          onClick={() => {
            clear();
            leave();
          }}
        >
          Leave it
        </Button>
      </div>
    </form>
  );
}

type RatesProps = {
  shows: Shown[];
  typed: Record<string, string>;
  wrong: Record<string, string>;
  error: string | undefined;
  onType: (next: Record<string, string>) => void;
};

/** How often a fault shows each finding, in percent; 0: not at all. Another finding is added from the list. */
function Rates({ shows, typed, wrong, error, onType }: RatesProps) {
  const findings = useFindings();
  const known = findings.data ?? [];
  const now = new Map(shows.map((s) => [s.finding, s]));
  const rows = [...now.keys(), ...Object.keys(typed).filter((f) => !now.has(f))];
  const free = known.filter((k) => !k.either.length && !rows.includes(k.id));
  return (
    <details>
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">How often it shows what ({rows.length})</summary>
      <p className="mb-2 text-[15px] text-ink2">In percent of the machines that have this fault; 0: it does not.</p>
      {error ? <p role="alert">{error}</p> : null}
      <ul className="grid gap-x-6 gap-y-2 sm:grid-cols-2">
        {rows.map((finding) => {
          const label = (now.get(finding) ?? known.find((k) => k.id === finding))?.label ?? finding;
          return (
            <li key={finding}>
              <label className="flex items-center gap-3 text-[16px] leading-tight">
                <span className="flex-1">{label}</span>
                <input
                  inputMode="decimal"
                  maxLength={8}
                  aria-label={`${label}, in percent`}
                  aria-invalid={wrong[finding] !== undefined}
                  className={`${INPUT} !w-20 font-mono`}
                  value={typed[finding] ?? String(Math.round(10 * (now.get(finding)?.percent ?? 0)) / 10)}
                  onChange={(e) => onType({ ...typed, [finding]: e.target.value })}
                />
                %
              </label>
              {wrong[finding] ? (
                <p role="alert" className="text-[15px] text-failed">
                  {wrong[finding]}
                </p>
              ) : null}
            </li>
          );
        })}
      </ul>
      <div className="mt-3 max-w-[34em]">
        <Field label="It shows this, too">
          {(id) => (
            <select
              id={id}
              className={INPUT}
              value=""
              onChange={(e) => (e.target.value ? onType({ ...typed, [e.target.value]: "50" }) : undefined)}
            >
              <option value="">Choose what</option>
              {GROUPS.map(([group, words]) => (
                <optgroup key={group} label={words}>
                  {free
                    .filter((k) => k.group === group)
                    .map((k) => (
                      <option key={k.id} value={k.id}>
                        {k.label}
                      </option>
                    ))}
                </optgroup>
              ))}
            </select>
          )}
        </Field>
      </div>
    </details>
  );
}

const shown = (c: Changed, v: Changed["value"] | null) => {
  if (v === null) return "not at all";
  if (typeof v === "number") return c.field.startsWith("shows.") ? `${Math.round(100 * v)} %` : String(v);
  const words = typeof v === "string" ? v : v.join(" · ");
  return words || "nothing";
};

/** What was changed: how it is here, how it came, by whom, when and why; and the way back, for the lead. */
export function ChangedRows({ rows, named = false }: { rows: Changed[]; named?: boolean }) {
  return (
    <ul className="rows">
      {rows.map((c) => (
        <ChangedRow key={`${c.kind} ${c.name} ${c.field}`} c={c} named={named} />
      ))}
    </ul>
  );
}

function ChangedRow({ c, named }: { c: Changed; named: boolean }) {
  const back = useMend(c.kind, c.name, () => undefined);
  const lead = atLeast(useMe(), "lead");
  return (
    <li className="flex flex-wrap items-start justify-between gap-3 py-3">
      <div className="grid max-w-[44em] gap-1">
        <p>
          {named ? (
            <>
              <Link to={c.kind === "fault" ? `/knowledge/${c.name}` : `/knowledge/check/${c.name}`}>{c.label}</Link>:{" "}
            </>
          ) : null}
          <b>{named ? c.words : capital(c.words)}</b>
        </p>
        <p>{shown(c, c.value)}</p>
        <p className="text-[15px] text-ink2">It came as: {shown(c, c.came)}</p>
        <p className="text-[15px] text-ink2">
          {c.who}, <time title={new Date(c.at).toLocaleString()}>{ago(c.at)}</time>
          {c.why ? `: ${c.why}` : ""}
        </p>
        <ErrorNote error={back.error} />
      </div>
      {lead ? (
        <Button
          disabled={back.isPending}
          aria-label={`Back to how it came: ${c.label}, ${c.words}`}
          onClick={() => back.mutate({ mend: {}, back: [c.field], why: "" })}
        >
          Back to how it came
        </Button>
      ) : null}
    </li>
  );
}
