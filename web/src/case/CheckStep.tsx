/** A check done by hand: how, and what it showed. Each outcome says how it would move the bars before it is chosen. */
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { useBench } from "../bench/BenchStart";
import { benchPath, fitting } from "../bench/paths";
import { Button, ErrorNote, INPUT, TextField, useKey } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { placeName } from "../kit/words";
import { KeptNote } from "../offline/KeptNote";
import { useWrite } from "../offline/useEntries";
import { practising } from "../practice/beside";
import { Company } from "../practice/Company";
import { LookHere, MendHere } from "../practice/DoIt";
import { useFindings, useKnowledge } from "./knowledge";
import type { WhatIf } from "./Weighing";
import { aboutCase, useWaitingHere } from "./writing";

type Case = Schemas["CaseOut"];
type Next = Schemas["NextCheck"];

type Props = { c: Case; next: Next; changed: (c: Case) => void; onWhatIf: (w: WhatIf) => void; done: () => void };

export function CheckStep({ c, next, changed, onWhatIf, done }: Props) {
  // What was found, each with the place where it was ("" where its place does not matter).
  const [found, setFound] = useState<Found[]>([]);
  const [values, setValues] = useState<Record<string, string>>({});
  const [swap, setSwap] = useState({ changed: "", same: "" });
  const [note, setNote] = useState("");
  const known = useKnowledge();
  const bench = useBench(c.printer_id);
  const findings = useFindings();
  const check = known.data?.checks.find((k) => k.id === next.check);
  const nothing = check?.nothing ?? "";
  const mark = `check ${next.check} ${next.axis ?? ""}`;
  const waits = useWaitingHere(c).find((e) => e.mark === mark);
  const over = () => {
    onWhatIf(null);
    done();
  };
  const send = useWrite<Case, Answer>(
    (answer) => {
      const rows = answer.names.map(({ finding, axis }) => {
        const text = values[finding]?.trim();
        const value = text ? parseFigure(text) : null;
        if (text && value === null) throw new Error(`“${text}” is not a figure.`);
        return { finding, axis, wall: "" as const, state: "present" as const, value, u95: null, note: "" };
      });
      const words = [
        swap.changed ? `changed: ${swap.changed}` : "",
        swap.same ? `left as it was: ${swap.same}` : "",
        note,
      ].filter(Boolean);
      const body: Schemas["OutcomeIn"] = {
        check: next.check,
        axis: next.axis ?? "",
        found: rows,
        unsure: answer.unsure,
        against: next.gate != null,
        note: words.join("; "),
      };
      return aboutCase(c, "outcomes", `${next.label}: ${said(answer, named, nothing)}`, body, mark);
    },
    (answer) => {
      changed(answer);
      over();
    },
    over,
  );
  const allFine = () => send.mutate({ names: [], unsure: false });
  useKey("0", found.length || send.isPending || waits || !check ? null : allFine);
  const label = (f: string) => findings.data!.find((x) => x.id === f)!;
  const named = ({ finding, axis }: Found) =>
    axis ? `${label(finding).label}, ${placeName(axis)}` : label(finding).label;
  if (waits)
    return (
      <KeptNote id={waits.id}>the bars move when the network is back. Other checks can be done meanwhile</KeptNote>
    );
  if (!check || !findings.data) return null;
  const show = (finding: string | null) => {
    const o = next.outcomes?.find((x) => x.finding === finding);
    onWhatIf(o ? { label: o.label, bars: o.then } : null);
  };
  const hover = (finding: string | null) => ({
    onMouseEnter: () => show(finding),
    onMouseLeave: () => onWhatIf(null),
    onFocus: () => show(finding),
    onBlur: () => onWhatIf(null),
  });
  const rows = looked(next, check.answers);
  const atBench = bench.data?.entries.find((e) => e.procedure === check.procedure);
  return (
    <div className="grid gap-3 border-t border-hair pt-4">
      {atBench && next.axis ? (
        <p>
          <Link
            to={benchPath(c.printer_id, atBench.procedure, fitting(atBench, next.axis), `?case=${c.id}`)}
            className="inline-flex min-h-12 items-center rounded-[3px] border border-line px-5 font-semibold no-underline hover:bg-well"
          >
            Measure it at the bench: {atBench.instruments.join(" or ")}
          </Link>{" "}
          What it finds comes into the weighing by itself.
        </p>
      ) : null}
      <LookHere
        key={`${next.check} ${next.axis}`}
        check={next.check}
        place={next.axis ?? ""}
        measured={atBench !== undefined}
      />
      <h2>What did it show?</h2>
      {check.swap ? (
        <div className="grid gap-3 sm:grid-cols-2">
          <TextField
            label="What was changed?"
            hint="One thing only."
            value={swap.changed}
            onText={(typed) => setSwap({ ...swap, changed: typed })}
          />
          <TextField
            label="What stayed as it was?"
            value={swap.same}
            onText={(typed) => setSwap({ ...swap, same: typed })}
          />
        </div>
      ) : null}
      <ul className={rows.length > MANY ? "grid gap-2 sm:grid-cols-2" : "grid gap-2"}>
        {rows.map(({ finding: f, places }) => {
          const here = found.filter((x) => x.finding === f).map((x) => x.axis);
          const on = here.length > 0;
          const kind = label(f);
          const chances = (next.outcomes ?? []).filter((o) => o.finding === f).map((o) => o.probability);
          const chance = chances.length ? chances.reduce((a, b) => a + b) : null;
          const others = found.filter((x) => x.finding !== f);
          const put = (axes: string[]) => setFound([...others, ...axes.map((axis) => ({ finding: f, axis }))]);
          return (
            <li key={f} className="flex flex-wrap items-center gap-2" {...hover(f)}>
              <label className="flex min-h-12 flex-1 cursor-pointer items-center gap-3 rounded-[3px] border border-line px-3 has-checked:border-2 has-checked:border-ink has-checked:font-semibold">
                <input
                  type="checkbox"
                  className="h-5 w-5 accent-[var(--ink)]"
                  checked={on}
                  onChange={() => put(on ? [] : places.length > 1 ? [""] : places)}
                />
                <span className="flex-1">{kind.label}</span>
                {chance != null ? (
                  <span className="font-mono text-[15px] text-ink2">{(100 * chance).toFixed(0)} %</span>
                ) : null}
              </label>
              {on && places.length > 1 ? (
                <Where label={kind.label} places={places} here={here} put={(axes) => put(axes.length ? axes : [""])} />
              ) : null}
              {on && kind.unit ? (
                <input
                  aria-label={`${kind.label} in ${kind.unit}, where measured`}
                  placeholder={kind.unit}
                  inputMode="decimal"
                  className={`${INPUT} !w-28 font-mono`}
                  value={values[f] ?? ""}
                  onChange={(e) => setValues({ ...values, [f]: e.target.value })}
                />
              ) : null}
            </li>
          );
        })}
      </ul>
      {next.gate ? <TextField label="Why all the same?" hint={next.gate} value={note} onText={setNote} /> : null}
      <ErrorNote error={send.error} />
      <div className="flex flex-wrap gap-3">
        <Button
          next={found.length > 0}
          disabled={!found.length || send.isPending}
          onClick={() => send.mutate({ names: found, unsure: false })}
        >
          That was found
        </Button>
        <Button disabled={found.length > 0 || send.isPending} onClick={allFine} keyHint="0" {...hover(null)}>
          {check.nothing}
        </Button>
        <Button disabled={send.isPending} onClick={() => send.mutate({ names: [], unsure: true })}>
          Not sure
        </Button>
      </div>
      <p role="status" className="min-h-6 text-[15px] text-ink2">
        {send.isPending ? `Taken: ${said(send.variables, named, nothing)}. Writing it down …` : ""}
      </p>
    </div>
  );
}

/** A longer list stands in two columns. */
const MANY = 7;

type Found = { finding: string; axis: string };
type Answer = { names: Found[]; unsure: boolean };

/** What a check looks at, each finding once with its places; a check that says none looks where it is done. */
function looked(next: Next, answers: string[]): { finding: string; places: string[] }[] {
  const rows = new Map<string, string[]>();
  for (const a of next.asks ?? []) rows.set(a.finding, [...(rows.get(a.finding) ?? []), a.axis ?? ""]);
  for (const f of answers) if (!rows.has(f) && !next.asks?.length) rows.set(f, [next.axis ?? ""]);
  return [...rows].map(([finding, places]) => ({ finding, places }));
}

/** Where it was found, of the places that the check went round; none of them: somewhere. */
function Where(props: { label: string; places: string[]; here: string[]; put: (axes: string[]) => void }) {
  const { label, places, here, put } = props;
  const on = here.filter((p) => p !== "");
  return (
    <div role="group" aria-label={`${label}: where`} className="flex flex-wrap gap-1.5">
      {places.map((p) => (
        <Button
          key={p}
          aria-pressed={on.includes(p)}
          className={`min-h-11 !px-3 ${on.includes(p) ? "!border-2 !border-ink" : "!font-normal"}`}
          onClick={() => put(on.includes(p) ? on.filter((x) => x !== p) : [...on, p])}
        >
          {placeName(p)}
        </Button>
      ))}
    </div>
  );
}

/** The answer in words, while it is on its way. */
function said(answer: Answer, named: (f: Found) => string, nothing: string): string {
  return answer.unsure ? "not sure" : answer.names.map(named).join(", ") || nothing.toLowerCase();
}

/** A remedy: what to do, and whether it helped. */
export function RepairStep({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const s = c.step;
  const mark = `repair ${s.fault} ${s.place ?? ""}`;
  const waits = useWaitingHere(c).find((e) => e.mark === mark);
  const send = useWrite<Case, boolean>((helped) => {
    const body: Schemas["RepairIn"] = { fault: s.fault!, axis: s.place ?? "", helped, note: "" };
    return aboutCase(c, "repairs", `${s.title}: ${helped ? "done, it is gone" : "done, still there"}`, body, mark);
  }, changed);
  if (waits) return <KeptNote id={waits.id}>what comes next is said when the network is back</KeptNote>;
  return (
    <div className="grid gap-3 border-t border-hair pt-4">
      {s.after?.length ? <p>Measure again after it: {s.after.join(", ")}.</p> : null}
      <p className="text-ink2">Not enough? {s.then}</p>
      <ErrorNote error={send.error} />
      <Company kind="repair" name={s.fault!} />
      <MendHere key={mark} fault={s.fault!} place={s.place ?? ""} />
      <h2>Is the complaint gone?</h2>
      <div className="flex flex-wrap gap-3">
        <Button next={!practising()} disabled={send.isPending} onClick={() => send.mutate(true)}>
          Done, it is gone
        </Button>
        <Button disabled={send.isPending} onClick={() => send.mutate(false)}>
          Done, still there
        </Button>
      </div>
    </div>
  );
}

/** The other checks, those that are worth their minutes first; any order is allowed. */
export function OtherChecks({ c, onPick }: { c: Case; onPick: (n: Next) => void }) {
  const { next = [], others = [] } = c.weighing?.result ?? {};
  if (!next.length && !others.length) return null;
  // Without the advice they stand by their names alone.
  if (c.unaided)
    return (
      <details open>
        <summary className="min-h-11 cursor-pointer py-2 font-semibold">What can be looked at and measured</summary>
        <Checks rows={others} onPick={onPick} />
      </details>
    );
  return (
    <details>
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">Other checks, and what each would save</summary>
      <Checks rows={next} onPick={onPick} />
      {others.length ? (
        // Where nothing is worth its minutes, what can be looked at all the same stands open.
        <details open={next.length === 0 || undefined}>
          <summary className="min-h-11 cursor-pointer py-2 font-semibold text-ink2">
            Those that take longer than they are expected to save ({others.length})
          </summary>
          <Checks rows={others} onPick={onPick} />
        </details>
      ) : null}
    </details>
  );
}

function Checks({ rows, onPick }: { rows: Next[]; onPick: (n: Next) => void }) {
  return (
    <ul className="rows">
      {rows.map((n) => (
        <li key={`${n.check}${n.axis}`} className="flex flex-wrap items-center justify-between gap-3 py-2">
          <span className="max-w-[34em] flex-1">
            <b>{n.label}</b>, {n.minutes.toFixed(0)} minutes
            {n.saves_minutes > 0.5 ? `, saves ${n.saves_minutes.toFixed(0)} more than it takes` : ""}
            {n.gate ? <span className="block text-[15px] text-watch">{n.gate}</span> : null}
          </span>
          <Button className="min-h-11 px-3" onClick={() => onPick(n)}>
            Do this
          </Button>
        </li>
      ))}
    </ul>
  );
}
