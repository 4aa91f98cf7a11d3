/** A fault and a check, each told whole on its sheet, with what this workshop has changed of it. */
import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useFindings } from "../case/knowledge";
import { Caution } from "../kit/bits";
import { SymptomDrawing } from "../kit/SymptomDrawing";
import { capital, inside } from "../kit/words";
import { type Changed, ChangedRows, MendHere, OF_FAULT, ofCheck } from "./Mend";

type Fault = Schemas["FaultRead"];
type Check = Schemas["CheckRead"];

/** What was changed of one fault or check, on its page. */
function ChangedHere({ rows }: { rows: Changed[] }) {
  if (!rows.length) return null;
  return (
    <section aria-labelledby="mended">
      <h2 id="mended">Changed in this workshop</h2>
      <ChangedRows rows={rows} />
    </section>
  );
}

function NoteHere({ note }: { note: string }) {
  return note ? (
    <p className="border-l-[5px] border-line pl-3">
      <b>Here:</b> {note}
    </p>
  ) : null;
}

function Numbered({ lines }: { lines: string[] }) {
  return (
    <ol className="grid gap-1.5">
      {lines.map((line, i) => (
        <li key={line} className="flex gap-3">
          <b className="font-mono">{i + 1}</b> {line}
        </li>
      ))}
    </ol>
  );
}

/** Where a figure is from. */
const from = (changed: Changed[], field: string) =>
  changed.some((c) => c.field === field) ? "this workshop's own" : "typical";

const percent = (p: number) => `${p.toFixed(0)} %`;

const SETUP: Record<string, string> = {
  unplug: "unplug it",
  cool: "let it cool",
  covers: "covers off",
  fetch: "fetch the instrument",
  print: "start a print",
};

export function CheckSheet({ c, changed }: { c: Check; changed: Changed[] }) {
  const setup = c.setup.map((s) => SETUP[s] ?? s);
  return (
    <article className="sheet grid gap-5" aria-labelledby="check">
      <header>
        <p className="text-ink2">
          {c.swap ? "A controlled swap" : c.at_bench ? "A check that is measured at the bench" : "A check"}
          {c.only_on.length ? `; only on ${c.only_on.map((k) => k.replace("_", " ")).join(", ")}` : ""}
        </p>
        <h1 id="check" className="!text-[30px]">
          {c.label}
        </h1>
        <p className="mt-1">
          About <b className="font-mono">{c.minutes}</b> minutes for a practised hand ({from(changed, "minutes")})
          {setup.length ? `; before it: ${setup.join(", ")}` : ""}.
          {c.waits_hours ? ` The answer comes ${c.waits_hours} hours later.` : ""}
        </p>
      </header>
      <section className="grid gap-3" aria-labelledby="do">
        <h2 id="do">How it is done</h2>
        {c.caution ? <Caution>{c.caution}</Caution> : null}
        <Numbered lines={c.how} />
        <NoteHere note={c.note} />
        {c.tools.length ? <p className="text-ink2">Have at hand: {c.tools.join(", ")}.</p> : null}
        {c.first.length ? (
          <p>
            <b>First:</b> {c.first.join(", ")}. On a loose or stiff machine this figure is worthless.
          </p>
        ) : null}
      </section>
      <section aria-labelledby="looks">
        <h2 id="looks">What it looks for</h2>
        <Found rows={c.looks_at.map((a) => ({ ...a, note: "" }))} columns after={<>Or: {inside(c.nothing)}.</>} />
      </section>
      <ChangedHere rows={changed} />
      <MendHere
        kind="check"
        name={c.id}
        asked={ofCheck(c.at_bench)}
        now={{ minutes: c.minutes, how: c.how, caution: c.caution, tools: c.tools, note: c.note }}
      />
    </article>
  );
}

export function FaultSheet({ f, changed }: { f: Fault; changed: Changed[] }) {
  const only = [
    f.only_on.length ? `only on ${f.only_on.map((k) => k.replace("_", " ")).join(", ")}` : "",
    f.homing ? `only where it homes by ${f.homing.replace("_", " ")}` : "",
    f.wears ? "grows likelier with age" : "",
  ].filter(Boolean);
  return (
    <article className="sheet grid gap-5" aria-labelledby="fault">
      <header>
        <p className="text-ink2">
          {capital(f.group)}, {f.where}
          {only.length ? `; ${only.join("; ")}` : ""}
        </p>
        <h1 id="fault" className="!text-[30px]">
          {f.label}
        </h1>
        <p className="mt-1">
          In about <b className="font-mono">{f.base_percent}</b> of a hundred complaints ({from(changed, "base")}).
          {f.begins_after.length ? ` Often begins after: ${f.begins_after.join(", ")}.` : ""}
        </p>
      </header>
      <section className="grid gap-3" aria-labelledby="do">
        <h2 id="do">What to do</h2>
        {f.caution ? <Caution>{f.caution}</Caution> : null}
        <Numbered lines={f.steps} />
        <NoteHere note={f.note} />
        <p className="text-ink2">
          {f.minutes.toFixed(0)} minutes for a practised hand ({from(changed, "minutes")}). Machine {f.state}.
          {f.tools.length ? ` Have at hand: ${f.tools.join(", ")}.` : ""}
          {f.parts.length ? ` Parts: ${f.parts.join(", ")}.` : ""}
        </p>
        {f.hand_to ? <p>Hand it to {f.hand_to}.</p> : null}
        <p>
          <b>Not enough?</b> {f.then}
        </p>
        <p>
          <b>Measure again after it:</b>{" "}
          {f.after.length ? `${f.after.join(", ")}.` : "the same print, before and after."}
        </p>
      </section>
      {f.told_by.length ? (
        <section aria-labelledby="tells">
          <h2 id="tells">What tells it</h2>
          <ul className="rows">
            {f.told_by.map((c) => (
              <li key={c.check} className="flex flex-wrap justify-between gap-3 py-2">
                <span>
                  <Link to={`/knowledge/check/${c.check}`}>{c.label}</Link>: {inside(c.by)}
                </span>
                <span className="text-ink2">{c.minutes.toFixed(0)} minutes</span>
              </li>
            ))}
          </ul>
        </section>
      ) : null}
      <section className="grid gap-4 sm:grid-cols-2" aria-label="What it shows">
        <Shown title="Must show" rows={f.must} none="Nothing for certain." />
        <Shown title="Often shows" rows={f.often} none="Nothing more." />
      </section>
      {f.may.length ? (
        <details>
          <summary className="min-h-11 cursor-pointer py-2 font-semibold">May show, too ({f.may.length})</summary>
          <Shown rows={f.may} none="" columns />
        </details>
      ) : null}
      {f.hides.length ? (
        <p>
          <b>Speaks against it:</b> {f.hides.join("; ")}.
        </p>
      ) : null}
      <ChangedHere rows={changed} />
      <MendHere
        kind="fault"
        name={f.id}
        asked={OF_FAULT}
        now={{
          base: f.base_percent,
          minutes: f.minutes,
          steps: f.steps,
          caution: f.caution,
          tools: f.tools,
          parts: f.parts,
          // biome-ignore lint/suspicious/noThenProperty: the word of the API
          then: f.then,
          note: f.note,
        }}
        shows={[...f.must, ...f.often, ...f.may]}
      />
    </article>
  );
}

type ShownProps = { title?: string; rows: Schemas["ShownOut"][]; none: string; columns?: boolean };

function Shown({ title, rows, none, columns }: ShownProps) {
  return (
    <div>
      {title ? <h2>{title}</h2> : null}
      {rows.length ? null : <p className="text-ink2">{none}</p>}
      <Found rows={rows.map((s) => ({ ...s, note: percent(s.percent) }))} columns={columns} />
    </div>
  );
}

type FoundProps = { rows: { finding: string; label: string; note: string }[]; columns?: boolean; after?: ReactNode };

/** Findings with their drawings, each with a word beside it. */
function Found({ rows, columns, after }: FoundProps) {
  const findings = useFindings();
  return (
    <ul className={columns ? "grid gap-1.5 sm:grid-cols-2" : "grid gap-1.5"}>
      {rows.map((s) => {
        const drawing = findings.data?.find((k) => k.id === s.finding)?.drawing ?? [];
        return (
          <li key={s.finding} className="flex items-center gap-2 text-[16px] leading-tight">
            <span className="flex w-14 shrink-0 justify-center">
              {drawing.length ? <SymptomDrawing lines={drawing} className="w-14" /> : null}
            </span>
            <span className="flex-1">
              {s.label} <span className="font-mono text-[15px] whitespace-nowrap text-ink2">{s.note}</span>
            </span>
          </li>
        );
      })}
      {after ? <li className="py-1 pl-16 text-ink2">{after}</li> : null}
    </ul>
  );
}
