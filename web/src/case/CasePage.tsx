/** One case: what has been seen at the left, the next thing to do in the middle, what was done and its proof at the right. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, got, newKey, type Schemas, send } from "../api/client";
import { Rounds } from "../bench/Rounds";
import { Button, Caution, ErrorNote, Field, fieldError, INPUT, Loading, useKey } from "../kit/bits";
import { ago } from "../kit/figures";
import { Sketch } from "../kit/Sketch";
import { STATE } from "./CaseList";

type Case = Schemas["CaseOut"];
const MARK = { present: "+", absent: "−", unknown: "?" } as const;
const SAID = { present: "seen", absent: "looked for, not there", unknown: "not sure" } as const;

export function CasePage() {
  const id = Number(useParams().id);
  const client = useQueryClient();
  const query = useQuery({
    queryKey: ["case", id],
    queryFn: () => got(api.GET("/api/cases/{case_id}", { params: { path: { case_id: id } } })),
    // Two people on one case see each other's entries.
    refetchInterval: 4000,
  });
  if (query.isPending) return <Loading what="the case" />;
  if (!query.data) return <ErrorNote error={query.error} />;
  const c = query.data;
  const changed = (next: Case) => {
    client.setQueryData(["case", id], next);
    client.invalidateQueries({ queryKey: ["floor"] });
  };
  return (
    <div className={`grid items-start gap-5 ${c.may_work ? "lg:grid-cols-[320px_1fr_330px]" : "mx-auto max-w-2xl"}`}>
      <Seen c={c} changed={changed} />
      {c.may_work ? <Next c={c} changed={changed} /> : null}
      <Log c={c} changed={changed} />
    </div>
  );
}

function Seen({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  return (
    <section className="sheet grid gap-3">
      <div>
        <p className="text-[15px] text-ink2">
          <Link to={`/machines/${c.printer_id}`}>{c.printer}</Link>, {STATE[c.state].toLowerCase()}
          {c.taken_by && c.state !== "closed" ? ` with ${c.taken_by}` : ""}
        </p>
        <h1 className="!text-[23px]">{c.title}</h1>
        {c.since ? <p className="mt-1">Since: {c.since}</p> : null}
        {c.words ? <p className="mt-1">{c.words}</p> : null}
      </div>
      {c.pictures.map((p) => (
        <figure key={p.id}>
          <a href={`/api/pictures/${p.id}`} target="_blank" rel="noreferrer">
            <img
              src={`/api/pictures/${p.id}`}
              width={p.width}
              height={p.height}
              alt={p.words || `Picture by ${p.by}`}
              className="h-auto w-full rounded-[3px]"
            />
          </a>
          <figcaption className="text-[15px] text-ink2">
            {p.words ? `${p.words} ` : ""}
            {p.by}, {ago(p.at)}
          </figcaption>
        </figure>
      ))}
      <div>
        <h2>What has been seen</h2>
        <ul className="rows">
          {c.observations.map((o) => (
            <li key={o.id} className="flex gap-2.5 py-2">
              <span className="w-4 font-mono font-bold" aria-hidden="true">
                {MARK[o.state]}
              </span>
              <div>
                {o.label}
                {o.axis ? `, ${o.axis.toUpperCase()}` : ""}
                <span className="block text-[15px] text-ink2">
                  {SAID[o.state]}
                  {o.note ? `: ${o.note}` : ""}. {o.by}, {ago(o.at)}
                </span>
              </div>
            </li>
          ))}
        </ul>
      </div>
      {c.state === "closed" ? null : <Observe c={c} changed={changed} />}
    </section>
  );
}

function Observe({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const findings = useQuery({
    queryKey: ["findings"],
    queryFn: () => got(api.GET("/api/findings")),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const [finding, setFinding] = useState("");
  const add = useMutation({
    mutationFn: (state: "present" | "absent" | "unknown") =>
      got(
        api.POST("/api/cases/{case_id}/observations", {
          params: { path: { case_id: c.id } },
          body: { finding, state, axis: "", note: "" },
        }),
      ),
    onSuccess: (next) => {
      setFinding("");
      changed(next);
    },
  });
  return (
    <div className="grid gap-2">
      <Field label="What else?">
        {(id) => (
          <select id={id} className={INPUT} value={finding} onChange={(e) => setFinding(e.target.value)}>
            <option value="">Choose</option>
            {findings.data
              ?.filter((f) => f.kind !== "measured")
              .map((f) => (
                <option key={f.id} value={f.id}>
                  {f.label}
                </option>
              ))}
          </select>
        )}
      </Field>
      {finding ? (
        <div className="flex flex-wrap gap-2">
          <Button onClick={() => add.mutate("present")}>Seen</Button>
          <Button onClick={() => add.mutate("absent")}>Not there</Button>
          <Button onClick={() => add.mutate("unknown")}>Not sure</Button>
        </div>
      ) : null}
      <ErrorNote error={add.error} />
    </div>
  );
}

function Next({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const go = useNavigate();
  const printer = useQuery({
    queryKey: ["printer", c.printer_id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: c.printer_id } } })),
  });
  const take = useMutation({
    mutationFn: () => got(api.POST("/api/cases/{case_id}/take", { params: { path: { case_id: c.id } } })),
    onSuccess: changed,
  });
  const reopen = useMutation({
    mutationFn: () => got(api.POST("/api/cases/{case_id}/reopen", { params: { path: { case_id: c.id } } })),
    onSuccess: changed,
  });
  const [closing, setClosing] = useState(false);
  const s = c.step;
  const bench = s.place
    ? `/bench/${c.printer_id}/belts/${s.place}?case=${c.id}`
    : `/bench/${c.printer_id}?case=${c.id}`;
  const act: { words: string; run: () => void } | null =
    s.kind === "take"
      ? { words: "Take it", run: () => take.mutate() }
      : s.kind === "close"
        ? { words: "Close it", run: () => setClosing(true) }
        : s.kind === "pluck" || s.kind === "set" || s.kind === "verify"
          ? { words: s.kind === "set" ? "See what to turn" : "Start", run: () => go(bench) }
          : null;
  useKey("Enter", closing ? null : (act?.run ?? null));
  return (
    <section className="sheet grid gap-4" aria-labelledby="next">
      <h2>Next</h2>
      <div>
        <h1 id="next" className="!text-[32px]">
          {s.title}
        </h1>
        <p className="mt-2 max-w-[38em] text-[19px]">{s.why}</p>
      </div>
      {printer.data && s.kind !== "done" && s.kind !== "danger" ? (
        <Sketch
          description={printer.data.description}
          conditions={Object.fromEntries(printer.data.condition.places.map((p) => [p.place, p.condition]))}
          lit={s.place}
          note={s.title}
          className="mx-auto w-full max-w-[300px]"
        />
      ) : null}
      {s.caution ? <Caution>{s.caution}</Caution> : null}
      <ErrorNote error={take.error ?? reopen.error} />
      {closing ? (
        <Close c={c} changed={changed} leave={() => setClosing(false)} />
      ) : (
        <div className="flex flex-wrap items-center gap-3">
          {act ? (
            <Button next keyHint="Enter" onClick={act.run} disabled={take.isPending}>
              {act.words}
            </Button>
          ) : null}
          {s.minutes > 1 ? <span className="text-ink2">about {s.minutes} minutes</span> : null}
          {c.state === "closed" ? (
            <Button onClick={() => reopen.mutate()}>Open it again</Button>
          ) : (c.state !== "reported" || s.kind === "danger") && s.kind !== "close" ? (
            <>
              <Button onClick={() => setClosing(true)}>Close</Button>
              {s.kind === "danger" ? null : (
                <Button onClick={() => go(`/bench/${c.printer_id}?case=${c.id}`)}>Other measurements</Button>
              )}
            </>
          ) : null}
        </div>
      )}
      <Proof c={c} />
    </section>
  );
}

/** Rounds of the belts in this case, side by side: before and after. */
function Proof({ c }: { c: Case }) {
  const printer = useQuery({
    queryKey: ["bench", c.printer_id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/bench", { params: { path: { printer_id: c.printer_id } } })),
  });
  const measured = c.log.some((l) => l.kind === "measured");
  if (!measured || !printer.data) return null;
  const sets = printer.data.belts.filter((b) => !b.partner || b.place < b.partner);
  return (
    <div className="grid gap-3">
      {sets.map((b) => (
        <Rounds key={b.place} printerId={c.printer_id} place={b.place} caseId={c.id} belts={printer.data.belts} />
      ))}
    </div>
  );
}

const WORDS: [Schemas["Close"]["closing"], string][] = [
  ["verified", "Mended and verified"],
  ["not_verified", "Mended, not verified: stays open"],
  ["harmless", "Harmless, left"],
  ["handed_on", "Handed on"],
  ["warranty", "Warranty"],
  ["retired", "Retired"],
];

function Close({ c, changed, leave }: { c: Case; changed: (c: Case) => void; leave: () => void }) {
  const [closing, setClosing] = useState<Schemas["Close"]["closing"]>("verified");
  const [cause, setCause] = useState(c.cause);
  const close = useMutation({
    mutationFn: () =>
      got(api.POST("/api/cases/{case_id}/close", { params: { path: { case_id: c.id } }, body: { closing, cause } })),
    onSuccess: (next) => {
      changed(next);
      leave();
    },
  });
  return (
    <form
      className="grid gap-3 border-t border-hair pt-4"
      onSubmit={(e) => {
        e.preventDefault();
        close.mutate();
      }}
    >
      <Field
        label="What was it?"
        error={fieldError(close.error, "cause")}
        hint="In a few words: the next one will be found faster."
      >
        {(id, note) => (
          <input
            id={id}
            aria-describedby={note}
            className={INPUT}
            value={cause}
            maxLength={160}
            onChange={(e) => setCause(e.target.value)}
          />
        )}
      </Field>
      <Field label="How did it end?" error={fieldError(close.error, "closing")}>
        {(id, note) => (
          <select
            id={id}
            aria-describedby={note}
            className={INPUT}
            value={closing}
            onChange={(e) => setClosing(e.target.value as typeof closing)}
          >
            {WORDS.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        )}
      </Field>
      {fieldError(close.error, "cause") || fieldError(close.error, "closing") ? null : (
        <ErrorNote error={close.error} />
      )}
      <div className="flex gap-3">
        <Button next type="submit" disabled={close.isPending}>
          {closing === "not_verified" ? "Keep it so" : "Close the case"}
        </Button>
        <Button onClick={leave}>Back</Button>
      </div>
    </form>
  );
}

function Log({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const [words, setWords] = useState("");
  const pictureKey = useRef(newKey());
  const comment = useMutation({
    mutationFn: () =>
      got(api.POST("/api/cases/{case_id}/comments", { params: { path: { case_id: c.id } }, body: { words } })),
    onSuccess: (next) => {
      setWords("");
      changed(next);
    },
  });
  const picture = useMutation({
    mutationFn: (file: File) => {
      const form = new FormData();
      form.append("file", file);
      return send<Case>(`/api/cases/${c.id}/pictures`, form, pictureKey.current);
    },
    onSuccess: (next) => {
      pictureKey.current = newKey();
      changed(next);
    },
  });
  return (
    <section className="sheet grid gap-3">
      <h2>Log</h2>
      <ol className="rows">
        {c.log.map((l) => (
          <li key={`${l.at}${l.words}`} className="py-2">
            <span className={l.kind === "turned" || l.kind === "measured" ? "font-semibold" : ""}>{l.words}</span>
            <span className="block text-[15px] text-ink2">
              {l.who}, <time title={new Date(l.at).toLocaleString()}>{ago(l.at)}</time>
            </span>
          </li>
        ))}
      </ol>
      <form
        className="grid gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (words.trim()) comment.mutate();
        }}
      >
        <Field label="Write into the log">
          {(id) => (
            <textarea
              id={id}
              className={`${INPUT} py-2`}
              rows={2}
              value={words}
              maxLength={2000}
              onChange={(e) => setWords(e.target.value)}
            />
          )}
        </Field>
        <div className="flex flex-wrap gap-2">
          <Button type="submit" disabled={comment.isPending || !words.trim()}>
            Write it down
          </Button>
          <label className="inline-flex min-h-12 cursor-pointer items-center rounded-[3px] border border-line px-4 font-semibold focus-within:outline-3 focus-within:outline-go">
            Add a picture
            <input
              type="file"
              accept="image/jpeg,image/png,image/webp"
              className="sr-only"
              onChange={(e) => e.target.files?.[0] && picture.mutate(e.target.files[0])}
            />
          </label>
        </div>
        <ErrorNote error={comment.error ?? picture.error} />
      </form>
    </section>
  );
}
