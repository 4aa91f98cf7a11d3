/** A machine's job log: which of its columns is which (told once), what of it would be taken, and taking it by a worker. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { newKey, type Schemas, send } from "../api/client";
import { beginning } from "../bench/TableReader";
import { Button, ErrorNote, Field, FilePick, INPUT, TABLES, TextField } from "../kit/bits";
import { FirstRows } from "../kit/FirstRows";
import { onDay, parseFigure } from "../kit/figures";
import { counted } from "../kit/words";
import { outcome, type Work } from "../work/outcome";
import { WorkLine } from "../work/WorkLine";
import { Weeks } from "./Weeks";

type Seen = Schemas["LogSeen"];
type Columns = Schemas["JobColumns"];
type Which = "began" | "ended" | "took" | "name" | "filament";

const ASKED: [Which, string][] = [
  ["began", "When a job began"],
  ["ended", "When it ended"],
  ["took", "How long it took"],
  ["name", "What was printed"],
  ["filament", "Filament"],
];
const AXES = ["x", "y", "z"];
const TOOK: Record<Columns["took_in"] & string, string> = {
  clock: "as 3:25:00 or 3h 25m",
  s: "seconds",
  min: "minutes",
  h: "hours",
};
const DATES: Record<Columns["dates"] & string, string> = {
  year_first: "2026-05-31 18:04",
  day_first: "31.5.2026 18:04",
  month_first: "5/31/2026 6:04 pm",
  seconds: "seconds since 1970",
};

/** What a column is taken for. */
function taken(told: Columns, name: string): string {
  const plain = ASKED.filter(([which]) => told[which] === name).map(([, label]) => label);
  const axes = AXES.filter((axis) => told.travel?.[axis] === name).map((axis) => `Travel of ${axis.toUpperCase()}`);
  return [...plain, ...axes].join(", ");
}

const zone = () => Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC";

async function lookAt(id: number, file: File, columns: Columns | null): Promise<Seen> {
  const form = new FormData();
  form.append("meta", JSON.stringify({ columns, zone: zone() }));
  form.append("file", await beginning(file), file.name);
  return send<Seen>(`/api/printers/${id}/job-log/look`, form, newKey());
}

export function JobLogSheet({ id }: { id: number }) {
  const client = useQueryClient();
  const [file, setFile] = useState<File | null>(null);
  const [work, setWork] = useState<Work | null>(null);
  const [said, setSaid] = useState("");
  const first = useMutation({ mutationFn: (f: File) => lookAt(id, f, null) });
  const take = useMutation({
    mutationFn: async (columns: Columns) => {
      const form = new FormData();
      form.append("meta", JSON.stringify({ columns }));
      form.append("file", file!, file!.name);
      const asked = await send<Work>(`/api/printers/${id}/job-log`, form, newKey());
      setWork(asked);
      return outcome(asked.id, setWork);
    },
    onSuccess: (done) => {
      setSaid(done.said);
      setFile(null);
    },
    onSettled: () => {
      setWork(null);
      client.invalidateQueries({ queryKey: ["printer", id] });
      client.invalidateQueries({ queryKey: ["record", id] });
    },
  });
  return (
    <section className="sheet grid gap-3" aria-labelledby="job-log">
      <h2 id="job-log">Its job log</h2>
      {file && first.data ? null : (
        <>
          <p className="max-w-[42em]">
            A table with a row for each job, as the machine or what sends it its files writes one (CSV). Its hours and
            filament are then counted, not estimated. The same log again changes nothing.
          </p>
          <div>
            <FilePick
              label="Choose the log"
              accept={TABLES}
              onFile={(f) => {
                setFile(f);
                setSaid("");
                take.reset();
                first.mutate(f);
              }}
            />
          </div>
        </>
      )}
      {said ? (
        <p role="status" className="font-semibold">
          {said}
        </p>
      ) : null}
      <ErrorNote error={first.error} />
      {file && first.data ? (
        <Mapping
          key={file.name + file.lastModified}
          id={id}
          file={file}
          first={first.data}
          busy={take.isPending}
          onTake={(columns) => take.mutate(columns)}
          onLeave={() => {
            setFile(null);
            take.reset();
          }}
        />
      ) : null}
      {work ? (
        <WorkLine work={work} words={work.state === "waiting" ? undefined : "Reading it …"} onTold={setWork} />
      ) : null}
      <ErrorNote error={take.error} />
    </section>
  );
}

type Props = {
  id: number;
  file: File;
  first: Seen;
  busy: boolean;
  onTake: (columns: Columns) => void;
  onLeave: () => void;
};

function Mapping({ id, file, first, busy, onTake, onLeave }: Props) {
  const [told, setTold] = useState<Columns>(first.columns);
  const [thick, setThick] = useState(String(first.columns.diameter_mm ?? 1.75));
  const look = useMutation({ mutationFn: (columns: Columns) => lookAt(id, file, columns) });
  const { mutate } = look;
  // Each change is tried once the hand rests.
  useEffect(() => {
    if (told === first.columns) return;
    const wait = setTimeout(() => mutate(told), 250);
    return () => clearTimeout(wait);
  }, [told, first, mutate]);
  const seen = look.data ?? first;
  const change = (more: Partial<Columns>) => setTold({ ...told, ...more });
  const column = (label: string, value: string, onChange: (name: string) => void, field: string, needed = false) => (
    <Field label={label} error={seen.field === field && seen.problem ? seen.problem : undefined}>
      {(fid, note) => (
        <select
          id={fid}
          aria-describedby={note}
          className={INPUT}
          value={value}
          onChange={(e) => onChange(e.target.value)}
        >
          {needed ? null : <option value="">not in this log</option>}
          {first.names.map((n) => (
            <option key={n} value={n}>
              {n}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  const choice = <K extends string>(label: string, says: Record<K, string>, value: K, onChange: (v: K) => void) => (
    <Field label={label}>
      {(fid) => (
        <select id={fid} className={INPUT} value={value} onChange={(e) => onChange(e.target.value as K)}>
          {(Object.keys(says) as K[]).map((k) => (
            <option key={k} value={k}>
              {says[k]}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  const metres = told.filament && told.filament_in !== "g" && told.filament_in !== "kg" && told.filament_in !== "cm3";
  const good = !seen.problem && !seen.wrong_rows && seen.jobs > 0;
  return (
    <div className="grid gap-4">
      <p>
        <b>{file.name}</b>
        {first.remembered ? ": its columns are read as the last time." : ": tell once which of its columns is which."}
      </p>
      <details open={!first.remembered}>
        <summary className="min-h-11 cursor-pointer py-2 font-semibold">Which column is which</summary>
        <div className="grid gap-x-4 gap-y-2 sm:grid-cols-2">
          {ASKED.map(([which, label]) => (
            <div key={which} className="contents">
              {column(label, told[which] ?? "", (n) => change({ [which]: n }), which, which === "began")}
              {which === "began" ? (
                choice("Dates are written as", DATES, told.dates ?? "year_first", (dates) => change({ dates }))
              ) : which === "took" && told.took ? (
                choice("Told in", TOOK, told.took_in ?? "clock", (took_in) => change({ took_in }))
              ) : which === "filament" && told.filament ? (
                choice(
                  "Filament in",
                  { g: "grams", kg: "kilograms", m: "metres", mm: "millimetres", cm3: "cubic centimetres" },
                  told.filament_in ?? "g",
                  (filament_in) => change({ filament_in }),
                )
              ) : (
                <span />
              )}
            </div>
          ))}
          {metres ? (
            <TextField
              label="The filament is thick, mm"
              hint="Weighed by 1.24 g/cm³, typical, ±10 %."
              figure
              value={thick}
              onText={(text) => {
                setThick(text);
                const mm = parseFigure(text);
                if (mm !== null && mm >= 1 && mm <= 5) change({ diameter_mm: mm });
              }}
            />
          ) : null}
          {told.dates === "seconds" ? null : (
            <TextField
              label="Times are meant in"
              hint="A zone such as Europe/Lisbon, or UTC."
              maxLength={60}
              value={told.zone ?? "UTC"}
              error={seen.field === "zone" && seen.problem ? seen.problem : undefined}
              onText={(z) => change({ zone: z })}
            />
          )}
        </div>
        <details className="mt-2" open={Object.keys(told.travel ?? {}).length > 0}>
          <summary className="min-h-11 cursor-pointer py-2 text-ink2">It tells travel, too</summary>
          <div className="grid gap-x-4 gap-y-2 sm:grid-cols-2">
            {AXES.map((axis) => (
              <div key={axis}>
                {column(
                  `Travel of ${axis.toUpperCase()}`,
                  told.travel?.[axis] ?? "",
                  (n) => {
                    const rest = Object.fromEntries(Object.entries(told.travel ?? {}).filter(([a]) => a !== axis));
                    change({ travel: n ? { ...rest, [axis]: n } : rest });
                  },
                  `travel.${axis}`,
                )}
              </div>
            ))}
            {choice(
              "Travel in",
              { m: "metres", km: "kilometres", mm: "millimetres" },
              told.travel_in ?? "m",
              (travel_in) => change({ travel_in }),
            )}
          </div>
        </details>
      </details>
      <FirstRows names={first.names} rows={first.first} taken={(i) => taken(told, first.names[i]!)} />
      <Outcome seen={seen} />
      <div className="flex flex-wrap gap-3">
        <Button next={good} disabled={busy || look.isPending || !good} onClick={() => onTake(told)}>
          Take it so
        </Button>
        <Button onClick={onLeave} disabled={busy}>
          Leave this file
        </Button>
      </div>
    </div>
  );
}

/** What of the log would be taken, and what stands against it. */
function Outcome({ seen }: { seen: Seen }) {
  const inField = ["began", "ended", "took", "name", "filament", "zone"].includes(seen.field);
  return (
    <div aria-live="polite" className="grid gap-2">
      {seen.problem && !inField ? (
        <p role="alert" className="font-semibold text-failed">
          {seen.problem}
        </p>
      ) : null}
      {seen.wrong_rows ? (
        <div role="alert">
          <p className="font-semibold text-failed">
            {counted(seen.wrong_rows, "row", "rows")} of {seen.rows} cannot be read. A log is taken whole or not at all:
            tell its columns otherwise, or mend the file.
          </p>
          <ul className="list-disc pl-5">
            {seen.wrong.map((w) => (
              <li key={`${w.row}${w.column}`}>{w.message}</li>
            ))}
          </ul>
        </div>
      ) : null}
      {seen.jobs ? (
        <>
          <p className="text-[19px] font-semibold">
            {seen.wrong_rows ? "Could be read: " : ""}
            {counted(seen.jobs, "job", "jobs")}, <span className="font-mono">{seen.hours.toFixed(1)} h</span>
            {seen.filament_kg == null ? "" : <span className="font-mono">, {seen.filament_kg.toFixed(2)} kg</span>}
          </p>
          <p>
            From {onDay(seen.began!)} to {onDay(seen.ended!)}.
            {seen.known ? ` ${seen.known === seen.jobs ? "All" : seen.known} of them are known already.` : ""}
            {seen.unbegun ? ` ${counted(seen.unbegun, "row tells", "rows tell")} of no use, and is passed over.` : ""}
          </p>
          <Weeks weeks={seen.weeks} name="log" />
        </>
      ) : null}
    </div>
  );
}
