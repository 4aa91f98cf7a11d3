/** What a machine has stored: every value with whether it may be believed; a firmware change before and after. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import {
  Button,
  Caution,
  ErrorNote,
  Field,
  FilePick,
  fieldError,
  INPUT,
  Loading,
  LongField,
  TextField,
  useTitle,
} from "../kit/bits";
import { ago, parseFigure } from "../kit/figures";
import { useDraft } from "../kit/useDraft";
import { capital, counted } from "../kit/words";
import { ReadBacks } from "./ReadBacks";
import { StoredMark } from "./StoredMark";

type Stored = Schemas["StoredOut"];
type Sheet = Schemas["StoredSheet"];
type Looked = Schemas["LookedOut"];

const figure = (v: number | null | undefined, unit: string) =>
  v == null ? "nothing" : `${Number(v.toFixed(6))} ${unit === "1" ? "" : unit}`.trim();

export function StoredPage() {
  const id = Number(useParams().id);
  const params = { path: { printer_id: id } };
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params })),
  });
  const sheet = useQuery({
    queryKey: ["printer", id, "stored"],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/stored", { params })),
  });
  useTitle(printer.data ? `What ${printer.data.name} has stored` : undefined);
  if (!sheet.data || !printer.data)
    return sheet.error || printer.error ? (
      <ErrorNote error={sheet.error ?? printer.error} />
    ) : (
      <Loading what="what it has stored" />
    );
  const name = printer.data.name;
  return (
    <div className="mx-auto grid max-w-6xl items-start gap-4 lg:grid-cols-[1fr_1fr]">
      <section className="sheet grid gap-4" aria-labelledby="stored">
        <div>
          <p className="text-ink2">
            <Link to={`/machines/${id}`}>{name}</Link>
          </p>
          <h1 id="stored" className="!text-[26px]">
            What it has stored
          </h1>
        </div>
        <Values rows={sheet.data.stands} />
        <SetOne id={id} sheet={sheet.data} />
        <ReadBacks id={id} />
      </section>
      <Firmware id={id} name={name} known={sheet.data.stands.length > 0} />
    </div>
  );
}

function Values({ rows }: { rows: Stored[] }) {
  if (!rows.length)
    return (
      <p className="max-w-[38em]">
        The ledger knows nothing of this machine yet. Paste what the machine prints of its settings at the side, and
        take over what is right; or write a value down here.
      </p>
    );
  return (
    <ul className="rows">
      {rows.map((r) => (
        <li key={r.name} className="grid grid-cols-[1fr_auto] items-baseline gap-x-4 py-2.5">
          <span className="font-semibold">{r.words}</span>
          <span className="text-right font-mono text-[18px]">{r.value == null ? "" : figure(r.value, r.unit)}</span>
          {r.value == null ? <span className="col-span-2">{r.text}</span> : null}
          <span
            className="col-span-2 flex flex-wrap items-center gap-x-3 text-[15px] text-ink2"
            title={new Date(r.at).toLocaleString()}
          >
            <StoredMark stand={r.stand} />
            {r.doubt ? (
              <span>
                {r.lost ? "may be lost" : "may no longer fit"}: {r.doubt}.
              </span>
            ) : (
              <span>
                {r.by}, {ago(r.at)}
                {r.reason ? `. ${r.reason}` : ""}
              </span>
            )}
          </span>
        </li>
      ))}
    </ul>
  );
}

/** Write down a value by hand. */
function SetOne({ id, sheet }: { id: number; sheet: Sheet }) {
  const client = useQueryClient();
  const blank = { name: "", told: "", reason: "" };
  const [draft, setDraft, clear] = useDraft(`stored ${id}`, blank);
  const [wrong, setWrong] = useState("");
  const kind = sheet.kinds.find((k) => k.name === draft.name);
  const set = useMutation({
    mutationFn: (body: Schemas["StoredIn"]) =>
      got(api.POST("/api/printers/{printer_id}/ledger", { params: { path: { printer_id: id } }, body })),
    onSuccess: () => {
      clear();
      client.invalidateQueries({ queryKey: ["printer", id] });
      client.invalidateQueries({ queryKey: ["ledger", id] });
    },
  });
  const send = () => {
    if (!kind) return;
    const value = kind.figure ? parseFigure(draft.told) : null;
    if (kind.figure && value === null) return setWrong("Enter a figure.");
    setWrong("");
    set.mutate({ name: kind.name, value, text: kind.figure ? "" : draft.told, unit: kind.unit, reason: draft.reason });
  };
  return (
    <details className="border-t border-hair pt-2">
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">Write a value down</summary>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          send();
        }}
      >
        <Field label="Which">
          {(fid) => (
            <select
              id={fid}
              className={INPUT}
              required
              value={draft.name}
              onChange={(e) => setDraft({ ...draft, name: e.target.value })}
            >
              <option value="">Choose</option>
              {sheet.kinds.map((k) => (
                <option key={k.name} value={k.name}>
                  {k.label}
                </option>
              ))}
            </select>
          )}
        </Field>
        {kind && !kind.figure ? (
          <LongField
            label="In words"
            error={fieldError(set.error, "value") ?? fieldError(set.error, "text")}
            value={draft.told}
            onText={(told) => setDraft({ ...draft, told })}
          />
        ) : (
          <TextField
            label="Value"
            hint={kind?.unit && kind.unit !== "1" ? `In ${kind.unit}.` : undefined}
            error={wrong || fieldError(set.error, "value")}
            figure
            value={draft.told}
            onText={(told) => setDraft({ ...draft, told })}
          />
        )}
        <TextField label="Why" value={draft.reason} onText={(reason) => setDraft({ ...draft, reason })} />
        <ErrorNote error={set.error} />
        <Button type="submit" className="justify-self-start" disabled={set.isPending || !kind}>
          Write it down
        </Button>
      </form>
    </details>
  );
}

/** A firmware change: save what is there before it, say that it was done, read back after it. */
function Firmware({ id, name, known }: { id: number; name: string; known: boolean }) {
  const client = useQueryClient();
  const params = { path: { printer_id: id } };
  const [text, setText, clear] = useDraft(`printed ${id}`, "");
  const [take, setTake] = useState<string[]>([]);
  const fresh = () => {
    client.invalidateQueries({ queryKey: ["printer", id] });
    client.invalidateQueries({ queryKey: ["ledger", id] });
  };
  const look = useMutation({
    mutationFn: () => got(api.POST("/api/printers/{printer_id}/stored/look", { params, body: { text, take: [] } })),
    onSuccess: (found) => setTake(known ? [] : found.compared.filter((c) => c.state === "new").map((c) => c.name)),
  });
  const keep = useMutation({
    mutationFn: () => got(api.POST("/api/printers/{printer_id}/stored/keep", { params, body: { text, take } })),
    onSuccess: () => {
      clear();
      look.reset();
      fresh();
    },
  });
  const flashed = useMutation({
    mutationFn: () =>
      got(
        api.POST("/api/printers/{printer_id}/events", {
          params,
          body: { event: "firmware_updated", days_ago: 0, note: "", place: "" },
        }),
      ),
    onSuccess: fresh,
  });
  const link =
    "inline-flex min-h-12 items-center rounded-[3px] border border-line px-5 font-semibold no-underline hover:bg-well";
  return (
    <section className="sheet grid gap-4" aria-labelledby="firmware">
      <h2 id="firmware" className="!text-[22px] !text-ink">
        Firmware: before and after
      </h2>
      <div className="grid gap-2">
        <h3 className="font-semibold">Before it</h3>
        <div className="flex flex-wrap gap-2">
          <a className={link} href={`/api/printers/${id}/stored.gcode`} download>
            Save all as a script
          </a>
          <a className={link} href={`/api/printers/${id}/stored.pdf`} download>
            Save all as a sheet
          </a>
          <Button onClick={() => flashed.mutate()} disabled={flashed.isPending}>
            The firmware was changed today
          </Button>
        </div>
        {flashed.isSuccess ? (
          <p role="status">Written down. All that it stores is in doubt until it is read back.</p>
        ) : null}
        <ErrorNote error={flashed.error} />
      </div>
      <div className="grid gap-3">
        <h3 className="font-semibold">After it: what does {name} print?</h3>
        <LongField
          label="Paste what it prints of its settings"
          hint="Send M503; the lines may have anything before them. What is not understood is kept."
          error={fieldError(look.error, "text")}
          className="font-mono"
          rows={6}
          maxLength={200_000}
          value={text}
          onText={(t) => {
            setText(t);
            look.reset();
          }}
        />
        <div className="flex flex-wrap gap-2">
          <Button next={!look.data} disabled={!text.trim() || look.isPending} onClick={() => look.mutate()}>
            Hold it against the ledger
          </Button>
          <FilePick label="Load a file" accept=".txt,.gcode,.log,text/plain" onFile={(f) => f.text().then(setText)} />
        </div>
        <ErrorNote error={look.error} />
        {keep.isSuccess && !look.data ? (
          <p role="status">Kept. What agrees is valid from now on; what differs stays in doubt until it is put back.</p>
        ) : null}
        {look.data ? <LookedAt found={look.data} take={take} onTake={setTake} /> : null}
        {look.data ? (
          <>
            <ErrorNote error={keep.error} />
            <Button next className="justify-self-start" disabled={keep.isPending} onClick={() => keep.mutate()}>
              Keep it{take.length ? `, and take ${counted(take.length, "value", "values")} over` : ""}
            </Button>
          </>
        ) : null}
      </div>
    </section>
  );
}

type LookedProps = { found: Looked; take: string[]; onTake: (next: string[]) => void };

function LookedAt({ found, take, onTake }: LookedProps) {
  const of = (state: string) => found.compared.filter((c) => c.state === state);
  const [changed, lost, fresh, same] = [of("changed"), of("lost"), of("new"), of("same")];
  const toggle = (name: string) => onTake(take.includes(name) ? take.filter((n) => n !== name) : [...take, name]);
  const row = (c: Looked["compared"][number]) => (
    <li key={c.name} className="grid gap-1 py-2.5">
      <span className="flex flex-wrap items-baseline justify-between gap-x-4">
        <b>{c.label}</b>
        <span className="font-mono text-[18px]">
          {figure(c.was, c.unit)} → {figure(c.now, c.unit)}
        </span>
      </span>
      {c.means ? <span>{capital(c.means)}.</span> : null}
      {c.now != null ? (
        <label className="flex min-h-11 items-center gap-3 text-[15px]">
          <input
            type="checkbox"
            className="h-5 w-5 accent-[var(--ink)]"
            checked={take.includes(c.name)}
            onChange={() => toggle(c.name)}
          />
          {c.state === "new" ? "Take it into the ledger" : "The machine is right: take it over"}
        </label>
      ) : null}
    </li>
  );
  return (
    <div className="grid gap-3">
      <p className="text-[19px] font-semibold" role="status">
        {changed.length || lost.length
          ? `${counted(changed.length, "value differs", "values differ")}${lost.length ? `, ${lost.length} not printed` : ""}.`
          : "Nothing was lost."}
      </p>
      {changed.length ? (
        <section aria-label="Differs">
          <ul className="rows border-l-[5px] border-failed pl-4">{changed.map(row)}</ul>
        </section>
      ) : null}
      {lost.length ? (
        <section aria-label="Not printed">
          <h3 className="font-semibold">In the ledger, and not printed</h3>
          <ul className="rows">{lost.map(row)}</ul>
        </section>
      ) : null}
      {found.script ? (
        <section className="grid gap-2" aria-label="Put it back">
          <h3 className="font-semibold">What puts it back</h3>
          <pre className="overflow-x-auto bg-well p-3 font-mono text-[15px]">{found.script.trim()}</pre>
          <Caution>
            Read it through before you send it. It moves nothing; send it, then paste once more what the machine prints.
          </Caution>
        </section>
      ) : null}
      {fresh.length ? (
        <details open={!changed.length && !same.length}>
          <summary className="min-h-11 cursor-pointer py-2 font-semibold">
            The machine has it, the ledger does not ({fresh.length})
          </summary>
          <ul className="rows">{fresh.map(row)}</ul>
        </details>
      ) : null}
      {same.length ? (
        <details>
          <summary className="min-h-11 cursor-pointer py-2 font-semibold text-ink2">Agrees ({same.length})</summary>
          <ul className="rows">
            {same.map((c) => (
              <li key={c.name} className="flex justify-between py-1.5">
                {c.label} <span className="font-mono">{figure(c.now, c.unit)}</span>
              </li>
            ))}
          </ul>
        </details>
      ) : null}
      {found.kept.length ? (
        <details>
          <summary className="min-h-11 cursor-pointer py-2 font-semibold text-ink2">
            Kept as it came ({found.kept.length})
          </summary>
          <ul className="grid gap-1 font-mono text-[15px]">
            {found.kept.map((k) => (
              <li key={k.row}>
                {k.line}
                {k.why ? <span className="font-sans text-ink2"> ({k.why})</span> : null}
              </li>
            ))}
          </ul>
        </details>
      ) : null}
    </div>
  );
}
