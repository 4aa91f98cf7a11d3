/** What it may be, as bars that open to their reasons; an outcome under the pointer shows how it would move them. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { Button, ErrorNote, Field, INPUT, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { placeName } from "../kit/words";
import { useWrite } from "../offline/useEntries";
import { useKnowledge } from "./knowledge";

type Case = Schemas["CaseOut"];
export type WhatIf = { label: string; bars: Schemas["Likely"][] } | null;

const percent = (p: number) => (p < 0.01 ? "<1" : p > 0.99 ? ">99" : (100 * p).toFixed(0));
const MOST = 7;

export function Weighing({ c, whatIf }: { c: Case; whatIf: WhatIf }) {
  const w = c.weighing;
  if (!w) return <WhatItWas c={c} />;
  const bars = w.result.hypotheses.filter((h, k) => k < MOST || h.fault === "other");
  const then = (h: Schemas["Hypothesis"]) => whatIf?.bars.find((t) => t.fault === h.fault && t.axis === h.axis);
  const joined = whatIf?.bars.filter((t) => !bars.some((h) => h.fault === t.fault && h.axis === t.axis)) ?? [];
  const total = Object.values(w.confirmed).reduce((a, b) => a + b, 0);
  return (
    <section
      className="sheet grid gap-3 lg:sticky lg:top-4 lg:max-h-[96vh] lg:overflow-y-auto"
      aria-labelledby="may-be"
    >
      <h2 id="may-be">What it may be</h2>
      <p className="min-h-6 text-[15px] text-ink2" aria-live="polite">
        {whatIf ? `If “${whatIf.label}”:` : `${w.result.placed_faults} faults weighed on this machine.`}
      </p>
      {(w.result.warnings ?? []).map((note) => (
        <p key={note.code + note.message} className="border-l-[5px] border-watch pl-3 text-[16px]">
          {note.message}
        </p>
      ))}
      <ul className="rows">
        {bars.map((h) => (
          <li key={`${h.fault}${h.axis}`} className="py-2">
            <Bar h={h} then={whatIf ? (then(h)?.probability ?? 0) : null} />
          </li>
        ))}
        {joined.map((t) => (
          <li key={`${t.fault}${t.axis}`} className="flex justify-between py-2 text-ink2">
            {t.label} <span className="font-mono">{percent(t.probability)} % then</span>
          </li>
        ))}
      </ul>
      {w.result.process_probability > 0.3 ? (
        <p className="text-[16px]">
          <b className="font-mono">{percent(w.result.process_probability)} %</b> for the process, not the mechanics: a
          swap tells them apart.
        </p>
      ) : null}
      {w.sources.length ? (
        <div>
          <h3 className="text-[15px] font-semibold">From the record</h3>
          <ul className="rows text-[16px]">
            {w.sources.map((s) => (
              <li key={s} className="py-1.5">
                {s}
              </li>
            ))}
          </ul>
        </div>
      ) : null}
      {total ? (
        <p className="text-[15px] text-ink2">
          {total} confirmed {total === 1 ? "cause" : "causes"} on this model {total === 1 ? "counts" : "count"} into the
          base rates.
        </p>
      ) : null}
      {w.changed ? (
        <p className="text-[15px] text-ink2">
          <Link to="/knowledge/changed">
            {w.changed === 1 ? "One fault or check is" : `${w.changed} faults and checks are`} weighed as this workshop
            has changed {w.changed === 1 ? "it" : "them"}
          </Link>
          .
        </p>
      ) : null}
      {c.state === "closed" ? null : <Happened c={c} />}
    </section>
  );
}

/** When nothing is left to weigh: what it was, as the list calls it. */
function WhatItWas({ c }: { c: Case }) {
  const known = useKnowledge();
  const fault = known.data?.faults.find((f) => f.id === c.fault);
  return (
    <section className="sheet grid gap-3" aria-labelledby="was">
      <h2 id="was">What it was</h2>
      {c.state === "closed" ? (
        <>
          <p className="text-[20px] font-bold">
            {fault
              ? `${fault.label}${c.fault_axis && c.fault_axis.length < 3 ? `, ${c.fault_axis.toUpperCase()}` : ""}`
              : c.cause}
          </p>
          {fault ? <p>{c.cause}</p> : null}
          {fault?.after.length ? (
            <p className="text-ink2">To be measured again after it: {fault.after.join(", ")}.</p>
          ) : null}
          {fault ? <p className="text-ink2">Not enough? {fault.then}</p> : null}
        </>
      ) : (
        <p>What was looked for after the last change is right. Nothing is left to weigh.</p>
      )}
    </section>
  );
}

function Bar({ h, then }: { h: Schemas["Hypothesis"]; then: number | null }) {
  const forIt = (h.because ?? []).filter((r) => r.bits > 0);
  const against = (h.because ?? []).filter((r) => r.bits <= 0);
  return (
    <details>
      <summary className="cursor-pointer list-none">
        <span className="flex items-baseline justify-between gap-3">
          <b>
            {h.label}
            {h.kind === "process" ? <span className="font-normal text-ink2"> (process)</span> : null}
          </b>
          <span className="font-mono text-[18px] font-semibold whitespace-nowrap">{percent(h.probability)} %</span>
        </span>
        <span className="relative mt-1.5 block h-4 bg-well" aria-hidden="true">
          <span className="absolute inset-y-0 left-0 bg-ink2" style={{ width: `${100 * h.probability}%` }} />
          {then !== null ? (
            <span className="absolute -top-1 -bottom-1 w-1 bg-go" style={{ left: `calc(${100 * then}% - 2px)` }} />
          ) : null}
        </span>
        {then !== null ? <span className="text-[15px] text-go">then {percent(then)} %</span> : null}
      </summary>
      <ul className="mt-2 grid gap-1 text-[15px]">
        {forIt.map((r) => (
          <li key={r.words}>
            <span className="mr-2 inline-block w-3 font-mono font-bold">+</span>
            {r.words}
          </li>
        ))}
        {against.map((r) => (
          <li key={r.words}>
            <span className="mr-2 inline-block w-3 font-mono font-bold">−</span>
            {r.words}
          </li>
        ))}
        {h.because?.length ? null : (
          <li className="text-ink2">Nothing seen speaks for or against it; it stands by how common it is.</li>
        )}
      </ul>
      {h.kind === "other" ? null : (
        <Link to={`/knowledge/${h.fault}`} className="mt-1 inline-flex min-h-11 items-center text-[15px]">
          Read what is known of it
        </Link>
      )}
    </details>
  );
}

/** What was done to the machine before: it weighs. */
function Happened({ c }: { c: Case }) {
  const client = useQueryClient();
  const [event, setEvent] = useState("");
  const [days, setDays] = useState("1");
  const [place, setPlace] = useState("");
  const known = useKnowledge();
  const since = (Date.now() - new Date(c.reported_at).getTime()) / 86400000;
  const cleared = () => {
    setEvent("");
    setPlace("");
  };
  const add = useWrite<unknown>(
    () => {
      const before = parseFigure(days);
      if (before === null || before < 0) throw new Error("Enter how many days before the report that was.");
      const body: Schemas["Happened"] = { event, days_ago: before + since, note: "", place };
      return {
        words: `${c.printer}: ${event.replaceAll("_", " ")}, just before`,
        about: `/cases/${c.id}`,
        writes: [{ path: `/api/printers/${c.printer_id}/events`, body }],
      };
    },
    () => {
      cleared();
      client.invalidateQueries({ queryKey: ["case", c.id] });
      client.invalidateQueries({ queryKey: ["record", c.printer_id] });
    },
    cleared,
  );
  return (
    <details>
      <summary className="min-h-11 cursor-pointer py-2 text-[15px] font-semibold text-ink2">
        What was done to it just before?
      </summary>
      <form
        className="grid gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate();
        }}
      >
        <Field label="What">
          {(id) => (
            <select id={id} className={INPUT} value={event} onChange={(e) => setEvent(e.target.value)} required>
              <option value="">Choose</option>
              {known.data?.events.map((e) => (
                <option key={e} value={e}>
                  {e.replaceAll("_", " ")}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Where" hint="What it puts in doubt then reaches no further.">
          {(id, note) => (
            <select
              id={id}
              aria-describedby={note}
              className={INPUT}
              value={place}
              onChange={(e) => setPlace(e.target.value)}
            >
              <option value="">Not sure, or all of it</option>
              {(c.spots.axis ?? []).map((p) => (
                <option key={p} value={p}>
                  {placeName(p)}
                </option>
              ))}
            </select>
          )}
        </Field>
        <TextField label="Days before the report" figure value={days} onText={setDays} />
        <ErrorNote error={add.error} />
        <Button type="submit" className="justify-self-start" disabled={add.isPending || !event}>
          Weigh it in
        </Button>
      </form>
    </details>
  );
}
