/** An instrument's own table: which of its columns is which, in what unit, with what comes of it drawn and held against sense. */
import { useMutation } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { useEffect, useState } from "react";
import { newKey, Refusal, type Schemas, send } from "../api/client";
import { Button, Choices, ErrorNote, Field, INPUT, TextField } from "../kit/bits";
import { FirstRows } from "../kit/FirstRows";
import { parseFigure } from "../kit/figures";

export type Seen = Schemas["TableSeen"];
export type TableMap = Schemas["TableMap"];
type Column = Schemas["MappedColumn"];

/** So much of a file is looked at: whole lines from its beginning. The whole goes up once, when it is taken. */
const LOOKED_AT = 1_500_000;

export async function beginning(file: File): Promise<Blob> {
  if (file.size <= LOOKED_AT) return file;
  const bytes = new Uint8Array(await file.slice(0, LOOKED_AT).arrayBuffer());
  return new Blob([bytes.slice(0, bytes.lastIndexOf(10) + 1)]);
}

/** What the workshop sees in a table, read as told, as remembered, or as its names suggest. */
export async function lookAt(
  file: File,
  procedure: string,
  instrument: number | null,
  columns: TableMap | null,
): Promise<Seen> {
  const form = new FormData();
  const asked = { procedure, instrument_id: instrument, columns };
  form.append("meta", JSON.stringify(asked));
  form.append("file", await beginning(file), file.name);
  return send<Seen>("/api/tables", form, newKey());
}

/** Whether a table may be taken without a question: its own columns are wanted, or it was told before and makes sense so. */
export const isClear = (s: Seen) => s.as_is || (s.remembered && !s.wrong && !s.notes.some((n) => n.grave));

type Props = {
  file: File;
  first: Seen;
  procedure: string;
  instrument: { id: number; name: string } | null;
  busy: boolean;
  onTake: (columns: TableMap) => void;
  onLeave: () => void;
};

export function TableReader({ file, first, procedure, instrument, busy, onTake, onLeave }: Props) {
  const [told, setTold] = useState<TableMap>(first.columns);
  const [texts, setTexts] = useState<Record<string, string>>({});
  const look = useMutation({
    mutationFn: (columns: TableMap) => lookAt(file, procedure, instrument?.id ?? null, columns),
  });
  const { mutate } = look;
  // Each change is tried once the hand rests.
  useEffect(() => {
    if (told === first.columns) return;
    const wait = setTimeout(() => mutate(told), 250);
    return () => clearTimeout(wait);
  }, [told, first, mutate]);
  const seen = look.data ?? first;
  const byRate = told.rate_hz !== null && told.rate_hz !== undefined;
  const change = (name: string, more: Partial<Column>) => {
    const old = told.columns.find((c) => c.name === name);
    const want = first.wanted.find((w) => w.name === name)!;
    const blank: Column = { name, column: "", number: 1, unit: want.units[0] ?? "", scale: null };
    const next = { ...(old ?? blank), ...more };
    setTold({ ...told, columns: [...told.columns.filter((c) => c.name !== name), next] });
  };
  // Columns of one kind come in one unit as a rule: those that stand alike change together.
  const inUnit = (name: string, unit: string) => {
    const units = (of: string) => first.wanted.find((w) => w.name === of)!.units.join();
    const old = told.columns.find((c) => c.name === name)!.unit;
    const alike = (c: Column) => c.name === name || (units(c.name) === units(name) && c.unit === old);
    setTold({ ...told, columns: told.columns.map((c) => (alike(c) ? { ...c, unit, scale: null } : c)) });
  };
  const drop = (name: string) => setTold({ ...told, columns: told.columns.filter((c) => c.name !== name) });
  const timed = first.wanted.find((w) => w.unit === "s");
  const asked = first.wanted.filter((w) => !(byRate && w === timed));
  const taken = (i: number) =>
    told.columns
      .filter((c) => c.number === i + 1)
      .map((c) => first.wanted.find((w) => w.name === c.name)?.title)
      .join(", ");
  const wrong = seen.wrong;
  const grave = seen.notes.some((n) => n.grave);
  return (
    <section className="grid gap-4 border-y border-line py-4" aria-label="Which column is which">
      <h2 className="!text-[19px] !text-ink">Which column is which?</h2>
      <p className="text-ink2">
        The columns of {file.name} have names of their own. Tell once what they are
        {instrument
          ? `; it is remembered for ${instrument.name}`
          : "; choose the instrument above, and it is remembered"}
        .
      </p>
      <FirstRows names={first.names} rows={first.first} taken={taken} />
      <p className="text-[15px] text-ink2">{first.rows} rows in what was looked at.</p>
      {timed ? (
        <Choices
          label="Time"
          options={[
            { value: "column", label: "Stands in a column" },
            { value: "rate", label: "Only the rate is known" },
          ]}
          value={byRate ? "rate" : "column"}
          onChange={(v) =>
            v === "rate"
              ? setTold({ columns: told.columns.filter((c) => c.name !== timed.name), rate_hz: 1000 })
              : setTold({ ...told, rate_hz: null })
          }
        />
      ) : null}
      {byRate ? (
        <TextField
          label="Readings a second"
          figure
          value={texts.rate ?? String(told.rate_hz)}
          error={texts.rate !== undefined && !(parseFigure(texts.rate)! > 0) ? "Enter how many a second." : undefined}
          onText={(typed) => {
            setTexts({ ...texts, rate: typed });
            const rate = parseFigure(typed);
            if (rate !== null && rate > 0) setTold({ ...told, rate_hz: rate });
          }}
        />
      ) : null}
      <div className="grid gap-x-3 gap-y-2 sm:grid-cols-[minmax(0,1fr)_minmax(0,8rem)_minmax(0,9rem)]">
        {asked.map((w) => {
          const mine = told.columns.find((c) => c.name === w.name);
          const bad = wrong?.field?.split(".")[0] === w.name ? wrong.message : undefined;
          const counts = mine?.unit === "counts";
          return (
            <div key={w.name} className="contents">
              <Field label={w.optional ? `${w.title} (may be left out)` : w.title} error={bad}>
                {(id, note) => (
                  <select
                    id={id}
                    aria-describedby={note}
                    aria-invalid={bad !== undefined}
                    className={INPUT}
                    value={mine ? mine.number : ""}
                    onChange={(e) => {
                      const number = Number(e.target.value);
                      if (!number) drop(w.name);
                      else change(w.name, { number, column: named(first, number) });
                    }}
                  >
                    <option value="">{w.optional ? "None" : "Choose a column"}</option>
                    {first.names.map((name, i) => (
                      <option key={name} value={i + 1}>
                        {name}
                      </option>
                    ))}
                  </select>
                )}
              </Field>
              {w.units.length > 1 ? (
                <Field label="in">
                  {(id) => (
                    <select
                      id={id}
                      aria-label={`${w.title} is in`}
                      className={INPUT}
                      disabled={!mine}
                      value={mine?.unit ?? ""}
                      onChange={(e) => inUnit(w.name, e.target.value)}
                    >
                      {w.units.map((u) => (
                        <option key={u} value={u}>
                          {SAID[u] ?? u}
                        </option>
                      ))}
                    </select>
                  )}
                </Field>
              ) : (
                <span className="self-end pb-3 text-ink2">{w.words.length ? w.words.join(" or ") : w.unit}</span>
              )}
              {counts ? (
                <TextField
                  label={`One count, ${SAID[w.unit] ?? w.unit}`}
                  figure
                  value={texts.scale ?? (mine.scale ? String(mine.scale) : "")}
                  onText={(typed) => {
                    setTexts({ ...texts, scale: typed });
                    const scale = parseFigure(typed) || null;
                    setTold({ ...told, columns: told.columns.map((c) => (c.unit === "counts" ? { ...c, scale } : c)) });
                  }}
                />
              ) : (
                <span />
              )}
            </div>
          );
        })}
      </div>
      {look.error ? <ErrorNote error={look.error} /> : null}
      {wrong && !asked.some((w) => w.name === wrong.field?.split(".")[0]) ? (
        <p role="alert" className="font-semibold text-failed">
          {wrong.message}
        </p>
      ) : null}
      <ul className="grid gap-1" aria-live="polite" aria-label="What was looked at">
        {seen.notes.map((n) => (
          <li key={n.code + n.column} className={n.grave ? "font-semibold text-failed" : ""}>
            {n.message}{" "}
            {n.scale ? (
              <button
                type="button"
                className="min-h-11 underline"
                onClick={() => {
                  const scale = Number(
                    (n.scale! * (told.columns.find((c) => c.unit === "counts")?.scale ?? 1)).toPrecision(6),
                  );
                  setTexts({});
                  setTold({ ...told, columns: told.columns.map((c) => (c.unit === "counts" ? { ...c, scale } : c)) });
                }}
              >
                Let gravity tell it
              </button>
            ) : null}
          </li>
        ))}
      </ul>
      <Lines series={seen.series} />
      <div className="flex flex-wrap gap-3">
        <Button
          next={!wrong && !grave}
          disabled={wrong !== null || busy || look.isPending}
          onClick={() => onTake(told)}
        >
          {grave ? "Take it all the same" : "Take it so"}
        </Button>
        <Button onClick={onLeave}>Leave this file</Button>
      </div>
    </section>
  );
}

const SAID: Record<string, string> = {
  "m/s2": "m/s²",
  "mm/s2": "mm/s²",
  us: "µs",
  um: "µm",
  clock: "time of day",
  counts: "raw counts",
};

/** A column's name where the table has names; else it goes by its number. */
const named = (s: Seen, number: number) => (/^Column \d+$/.test(s.names[number - 1]!) ? "" : s.names[number - 1]!);

/** Each column as it would be read, a small line for itself. */
function Lines({ series }: { series: Seen["series"] }) {
  return (
    <div className="grid gap-x-5 sm:grid-cols-2">
      {series.map((s) => {
        const [low, high] = [Math.min(...s.low), Math.max(...s.high)];
        const x = scaleLinear([0, Math.max(1, s.low.length - 1)], [2, 258]);
        const y = scaleLinear([low, high === low ? low + 1 : high], [50, 6]);
        const edge = [...s.high.map((v, i) => [i, v]), ...s.low.map((v, i) => [i, v]).reverse()] as [number, number][];
        const range = `${Number(low.toPrecision(4))} to ${Number(high.toPrecision(4))} ${SAID[s.unit] ?? s.unit}`;
        return (
          <figure key={s.name}>
            <svg viewBox="0 0 260 56" className="block w-full" role="img" aria-label={`${s.title}: ${range}`}>
              <path
                d={`${edge.map(([i, v], k) => `${k ? "L" : "M"}${x(i).toFixed(1)} ${y(v).toFixed(1)}`).join("")}Z`}
                fill="var(--go)"
                fillOpacity={0.25}
                stroke="var(--go)"
                strokeLinejoin="round"
              />
            </svg>
            <figcaption className="flex justify-between text-[14px] text-ink2">
              <span>{s.title}</span>
              <span className="font-mono">{range}</span>
            </figcaption>
          </figure>
        );
      })}
    </div>
  );
}

/** Whether a look failed because the workshop cannot be reached: then the file is kept here as it is. */
export const isUnreachable = (e: unknown) => !(e instanceof Refusal) || e.isPassing;
