/** What is turned by a result: told, done, written down, and the rounds of it side by side until it holds. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, TextField } from "../kit/bits";
import { parseFigure, type Quantity, sentence } from "../kit/figures";
import { Strip } from "../kit/Strip";
import { KeptNote } from "../offline/KeptNote";
import { useWaiting, useWrite } from "../offline/useEntries";
import { useMe } from "../session/me";
import type { Bench, Capture } from "./drawing";

type Turnable = Schemas["Turnable"];
type One = Schemas["OneTurn"];
type Round = Schemas["RoundOut"];

/** What a result says is turned; nothing where it is of no such kind. */
const turnablesOf = (found: Capture["found"]): Turnable[] => ("turnables" in found && found.turnables) || [];

const headline = (r: Round) => r.readings[0]?.capture.found.judged?.[0];

/** How far, as it is written down: turns to a hundredth, mm as told. */
const amount = (a: number, unit: string) =>
  unit === "once" ? "" : `${Number(a.toFixed(unit === "mm" ? 2 : 3))} ${unit}`;

function useSets(id: number, procedure: string, place: string, caseId: number | null) {
  return useQuery({
    queryKey: ["sets", id, procedure, place, caseId],
    queryFn: () =>
      got(
        api.GET("/api/printers/{printer_id}/sets/{procedure}/{place}", {
          params: { path: { printer_id: id, procedure, place }, query: caseId ? { case_id: caseId } : {} },
        }),
      ),
  });
}

type Of = { bench: Bench; procedure: string; place: string; caseId: number | null };

/** The rounds so far, side by side, and whether they hold. Nothing before there are two, or something was turned. */
export function Sets({ bench, procedure, place, caseId }: Of) {
  const me = useMe();
  const sets = useSets(bench.printer_id, procedure, place, caseId).data;
  const rounds = sets?.rounds.filter((r) => headline(r)) ?? [];
  if (!rounds.length || (rounds.length < 2 && !rounds[0]!.actions.length)) return null;
  const [first, last] = [headline(rounds[0]!)!, headline(rounds[rounds.length - 1]!)!];
  const turned = rounds[rounds.length - 1]!.actions.length > 0;
  return (
    <section className="grid gap-3 border-t border-hair pt-4" aria-label="Rounds">
      <h2>{turned ? "Turned. Measure again" : "Round by round"}</h2>
      {!turned && sets?.course ? (
        <p className="text-[19px] font-semibold">
          {sets.course.words}
          {sets.course.improvement ? ` ${gone(sets.course.improvement)}` : ""}
        </p>
      ) : null}
      {rounds.length > 1 ? (
        <Strip
          label={`${last.words}, before and now`}
          quantity={last.quantity}
          before={first.quantity}
          low={last.limits?.low}
          high={last.limits?.high}
        />
      ) : null}
      <ol className="rows">
        {rounds.map((r, i) => (
          <li key={r.number} className="grid grid-cols-[2.5rem_minmax(0,1fr)] py-1.5">
            <span className="font-mono text-ink2">{i + 1}</span>
            <span>
              <b className="font-mono">{sentence(headline(r)!.quantity, me)}</b>
              {r.actions.map((a) => (
                <span key={a.id} className="block text-[15px] text-ink2">
                  then {a.target} {amount(Math.abs(a.turns), a.unit)} {a.direction}
                </span>
              ))}
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}

const gone = (q: Quantity) =>
  q.value >= 0
    ? `${Math.round(q.value)} % of the first error is gone (± ${Math.round(q.u95 ?? 0)} %).`
    : `It stands ${Math.round(-q.value)} % further off than at first (± ${Math.round(q.u95 ?? 0)} %).`;

type Props = Of & { capture: Capture; onAgain: () => void };

/** What was turned is written down here: as advised, otherwise, or back. */
export function Turning({ bench, procedure, place, caseId, capture, onAgain }: Props) {
  const client = useQueryClient();
  const [otherwise, setOtherwise] = useState(false);
  const sets = useSets(bench.printer_id, procedure, place, caseId);
  const id = bench.printer_id;
  const about = caseId ? `/cases/${caseId}` : `/machines/${id}`;
  const mark = `turned ${capture.id}`;
  const waits = useWaiting(about).find((e) => e.mark === mark);
  const fresh = () => {
    client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "capture" && q.queryKey[0] !== "view" });
    onAgain();
  };
  const turn = useWrite<unknown, One[]>((turned) => {
    const words = turned.map((t) => `${t.target} ${amount(t.amount, "")}${t.way}`).join(", ");
    const body: Schemas["TurnedIn"] = { turned, case_id: caseId, note: "" };
    const path = `/api/printers/${id}/sets/${procedure}/${place}`;
    return { words: `${bench.printer}: turned ${words}`, about, mark, writes: [{ path, body }] };
  }, fresh);
  const turnables = turnablesOf(capture.found);
  const rounds = sets.data?.rounds ?? [];
  const mine = rounds.find((r) => r.readings.some((x) => x.capture.id === capture.id));
  if (waits)
    return <KeptNote id={waits.id}>what it changed is learned then. Measure again now: that is kept, too</KeptNote>;
  // Only after the newest reading is anything turned, and once.
  if (!turnables.length || !mine || mine.actions.length || mine !== rounds[rounds.length - 1]) return null;
  const advised: One[] = (capture.found.advice ?? []).flatMap((a) => {
    const t = turnables.find((x) => x.target === a.target);
    if (t?.unit === "once") return [{ target: t.target, amount: 1, way: t.ways[0]!, advised: 1 }];
    if (!t || !a.amount || !a.direction) return [];
    return [{ target: t.target, amount: a.amount.value, way: a.direction, advised: a.amount.value }];
  });
  const before = rounds[rounds.indexOf(mine) - 1];
  const back = sets.data?.course?.state === "worse" && before ? turnedBack(before, turnables) : [];
  if (otherwise)
    return (
      <Otherwise
        turnables={turnables}
        advised={advised}
        busy={turn.isPending}
        error={turn.error}
        onTurned={(t) => turn.mutate(t)}
        leave={() => setOtherwise(false)}
      />
    );
  return (
    <div className="grid gap-3">
      <ErrorNote error={turn.error} />
      <div className="flex flex-wrap gap-3">
        {back.length ? (
          <Button next disabled={turn.isPending} onClick={() => turn.mutate(back)}>
            I turned it back, measure again
          </Button>
        ) : null}
        {advised.length ? (
          <Button next={!back.length} disabled={turn.isPending} onClick={() => turn.mutate(advised)}>
            Done as said, measure again
          </Button>
        ) : null}
        {turnables.every((t) => t.unit === "once") ? null : (
          <Button disabled={turn.isPending} onClick={() => setOtherwise(true)}>
            {advised.length ? "I turned it differently" : "I turned something"}
          </Button>
        )}
      </div>
    </div>
  );
}

/** What undoes a round's turns. */
function turnedBack(round: Round, turnables: Turnable[]): One[] {
  return round.actions.flatMap((a) => {
    const way = turnables.find((t) => t.target === a.target)?.ways.find((w) => w !== a.direction);
    return way ? [{ target: a.target, amount: Math.abs(a.turns), way, advised: null }] : [];
  });
}

type OtherwiseProps = {
  turnables: Turnable[];
  advised: One[];
  busy: boolean;
  error: unknown;
  onTurned: (made: One[]) => void;
  leave: () => void;
};

function Otherwise({ turnables, advised, busy, error, onTurned, leave }: OtherwiseProps) {
  const [texts, setTexts] = useState<Record<string, string>>({});
  const [wrong, setWrong] = useState("");
  const send = () => {
    const made: One[] = [];
    for (const t of turnables) {
      const text = texts[t.target]?.trim();
      if (!text) continue;
      const value = parseFigure(text);
      if (!value)
        return setWrong(`${t.title}: “${text}” is no amount. ${t.ways[0]} is positive, ${t.ways[1]} negative.`);
      const told = advised.find((a) => a.target === t.target);
      const way = t.ways[value > 0 ? 0 : 1]!;
      const said = told ? told.amount * (told.way === way ? 1 : -1) : null;
      made.push({ target: t.target, amount: Math.abs(value), way, advised: said });
    }
    if (!made.length) return setWrong("Enter how far you turned at least one of them.");
    onTurned(made);
  };
  return (
    <form
      className="grid gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        send();
      }}
    >
      <div className="grid gap-3 sm:grid-cols-2">
        {turnables.map((t) => (
          <TextField
            key={t.target}
            label={`${t.title}, ${t.unit}`}
            hint={`${t.ways[0]} is positive, ${t.ways[1]} negative; empty if not touched.`}
            inputMode="text"
            value={texts[t.target] ?? ""}
            onText={(typed) => setTexts({ ...texts, [t.target]: typed })}
          />
        ))}
      </div>
      <ErrorNote error={wrong || error} />
      <div className="flex gap-3">
        <Button next type="submit" disabled={busy}>
          So I turned it, measure again
        </Button>
        <Button onClick={leave}>Back</Button>
      </div>
    </form>
  );
}

/** What each school answers, side by side, with why; the one that the advice follows is marked. */
export function Schools({ found }: { found: Capture["found"] }) {
  const schools = ("schools" in found && found.schools) || [];
  if (!schools.length) return null;
  return (
    <section aria-label="Schools" className="grid gap-3 sm:grid-cols-2">
      {schools.map((s) => (
        <div key={s.school} className={`border-l-4 px-3 py-1 ${s.chosen ? "border-go" : "border-hair"}`}>
          <h2 className="!text-[17px] !text-ink">
            {s.title}
            {s.chosen ? <span className="font-normal text-ink2">, followed here</span> : null}
          </h2>
          <p>{s.answer}</p>
          <p className="text-[15px] text-ink2">{s.why}</p>
        </div>
      ))}
    </section>
  );
}
