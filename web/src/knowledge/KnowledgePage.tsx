/** What the workshop knows, to be read: every fault with what it shows, how to tell it, what to do, what to measure after. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { useFindings } from "../case/knowledge";
import { Caution, ErrorNote, Loading, TextField, useTitle } from "../kit/bits";
import { SymptomDrawing } from "../kit/SymptomDrawing";
import { capital } from "../kit/words";

type Fault = Schemas["FaultRead"];

/** All that stands on a fault's page, for the letters typed. */
function told(f: Fault): string {
  const shown = [...f.must, ...f.often, ...f.may].map((s) => s.label);
  return [f.label, f.group, ...shown, ...f.steps, ...f.begins_after, ...f.told_by.map((c) => c.label)]
    .join(" ")
    .toLowerCase();
}

/** What is called so stands first, then what shows it most, then what only mentions it. */
function rank(f: Fault, letters: string[]): number {
  const has = (words: string) => letters.every((l) => words.toLowerCase().includes(l));
  if (has(f.label)) return 1000;
  return Math.max(0, ...[...f.must, ...f.often, ...f.may].filter((s) => has(s.label)).map((s) => s.percent));
}

export function KnowledgePage() {
  const { fault: id } = useParams();
  const [typed, setTyped] = useState("");
  const faults = useQuery({
    queryKey: ["knowledge", "faults"],
    queryFn: () => got(api.GET("/api/knowledge/faults")),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const chosen = faults.data?.find((f) => f.id === id);
  useTitle(chosen ? chosen.label : "What is known");
  if (!faults.data) return faults.error ? <ErrorNote error={faults.error} /> : <Loading what="what is known" />;
  const letters = typed.trim().toLowerCase().split(/\s+/).filter(Boolean);
  const hits = faults.data.filter((f) => letters.every((l) => told(f).includes(l)));
  const rows = letters.length ? [...hits].sort((a, b) => rank(b, letters) - rank(a, letters)) : hits;
  const groups = letters.length ? [""] : [...new Set(rows.map((f) => f.group))];
  return (
    <div className="mx-auto grid max-w-6xl items-start gap-4 lg:grid-cols-[340px_1fr]">
      <section
        className="sheet grid gap-3 lg:sticky lg:top-4 lg:max-h-[96vh] lg:overflow-y-auto"
        aria-labelledby="known"
      >
        <h1 id="known" className="!text-[23px]">
          What is known
        </h1>
        <TextField
          label="Find"
          hint={`${faults.data.length} faults: by name, by what they show, by what to do.`}
          autoComplete="off"
          value={typed}
          onText={setTyped}
        />
        <nav aria-label="Faults">
          {rows.length ? null : <p>Nothing that is known says that.</p>}
          {groups.map((group) => (
            <div key={group} className="mb-3">
              {group ? <h2>{capital(group)}</h2> : null}
              <ul>
                {rows
                  .filter((f) => !group || f.group === group)
                  .map((f) => (
                    <li key={f.id}>
                      <Link
                        to={`/knowledge/${f.id}`}
                        aria-current={f.id === id ? "page" : undefined}
                        className="flex min-h-11 items-center px-2 no-underline hover:bg-well aria-[current]:bg-well aria-[current]:font-semibold"
                      >
                        {f.label}
                      </Link>
                    </li>
                  ))}
              </ul>
            </div>
          ))}
        </nav>
      </section>
      {chosen ? <FaultSheet f={chosen} /> : <Start missing={id !== undefined} />}
    </div>
  );
}

function Start({ missing }: { missing: boolean }) {
  return (
    <section className="sheet grid gap-2">
      <h2>{missing ? "There is no such fault" : "Choose a fault, or type what you see"}</h2>
      <p className="max-w-[42em]">
        Each has what it must show and what it may, what tells it from others, what to do with the caution it needs, and
        what to measure again. Figures are typical values set down by hand; what the workshop confirms when it closes a
        case counts on top of them.
      </p>
    </section>
  );
}

const percent = (p: number) => `${p.toFixed(0)} %`;

function FaultSheet({ f }: { f: Fault }) {
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
          In about <b className="font-mono">{f.base_percent}</b> of a hundred complaints (typical).
          {f.begins_after.length ? ` Often begins after: ${f.begins_after.join(", ")}.` : ""}
        </p>
      </header>
      <section className="grid gap-3" aria-labelledby="do">
        <h2 id="do">What to do</h2>
        {f.caution ? <Caution>{f.caution}</Caution> : null}
        <ol className="grid gap-1.5">
          {f.steps.map((line, i) => (
            <li key={line} className="flex gap-3">
              <b className="font-mono">{i + 1}</b> {line}
            </li>
          ))}
        </ol>
        <p className="text-ink2">
          {f.minutes.toFixed(0)} minutes for a practised hand. Machine {f.state}.
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
                  <b>{c.label}</b>: {c.by.slice(0, 1).toLowerCase() + c.by.slice(1)}
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
    </article>
  );
}

type ShownProps = { title?: string; rows: Schemas["ShownOut"][]; none: string; columns?: boolean };

function Shown({ title, rows, none, columns }: ShownProps) {
  const findings = useFindings();
  return (
    <div>
      {title ? <h2>{title}</h2> : null}
      {rows.length ? null : <p className="text-ink2">{none}</p>}
      <ul className={columns ? "grid gap-1.5 sm:grid-cols-2" : "grid gap-1.5"}>
        {rows.map((s) => {
          const drawing = findings.data?.find((k) => k.id === s.finding)?.drawing ?? [];
          return (
            <li key={s.finding} className="flex items-center gap-2 text-[16px] leading-tight">
              <span className="flex w-14 shrink-0 justify-center">
                {drawing.length ? <SymptomDrawing lines={drawing} className="w-14" /> : null}
              </span>
              <span className="flex-1">
                {s.label}{" "}
                <span className="font-mono text-[15px] whitespace-nowrap text-ink2">{percent(s.percent)}</span>
              </span>
            </li>
          );
        })}
      </ul>
    </div>
  );
}
