/** Setting belts: pluck each of the pair, be told what to turn, turn, measure again, until it holds. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import type { Schemas } from "../api/client";
import { Button, ErrorNote, Loading, TextField, useKey, useTitle } from "../kit/bits";
import { eighth, type Preferences, parseFigure, sentence, show, turns } from "../kit/figures";
import { Strip } from "../kit/Strip";
import { KeptNote } from "../offline/KeptNote";
import { useWaiting, useWrite } from "../offline/useEntries";
import { useMe } from "../session/me";
import { useBench } from "./BenchStart";
import { PluckPane } from "./PluckPane";
import { Rounds, tensionOf, useRounds } from "./Rounds";

type Advice = NonNullable<Schemas["RoundsOut"]["advice"]>;
type BeltAdvice = Advice["belts"][number];

export function BeltsBench() {
  const params = useParams();
  const id = Number(params.id);
  const place = params.place!;
  const [search] = useSearchParams();
  const caseId = search.get("case") ? Number(search.get("case")) : null;
  const client = useQueryClient();
  const bench = useBench(id);
  const rounds = useRounds(id, place, caseId);
  const [chosen, setChosen] = useState<string | null>(null);
  useTitle(
    bench.data && rounds.data && `${bench.data.printer}: belts ${rounds.data.places.join(" and ").toUpperCase()}`,
  );
  if (!bench.data || !rounds.data)
    return bench.error || rounds.error ? (
      <ErrorNote error={bench.error ?? rounds.error} />
    ) : (
      <Loading what="the bench" />
    );
  const r = rounds.data;
  const active = chosen && r.places.includes(chosen) ? chosen : (r.missing[0] ?? place);
  const last = r.rounds[r.rounds.length - 1];
  const number = last ? (last.actions.length ? last.number + 1 : last.number) : 1;
  const belt = bench.data.belts.find((b) => b.place === active)!;
  const fresh = () => {
    setChosen(null);
    client.invalidateQueries({ queryKey: ["rounds", id] });
    client.invalidateQueries({ queryKey: ["bench", id] });
    client.invalidateQueries({ queryKey: ["printer", id] });
    client.invalidateQueries({ queryKey: ["floor"] });
    if (caseId) client.invalidateQueries({ queryKey: ["case", caseId] });
  };
  const names = r.places.map((p) => p.toUpperCase()).join(" and ");
  return (
    <div className="grid items-start gap-5 lg:grid-cols-[minmax(0,560px)_minmax(0,1fr)]">
      <PluckPane
        key={`${active}-${number}`}
        printerId={id}
        printer={bench.data}
        belt={belt}
        caseId={caseId}
        round={number}
        wanted={r.missing.includes(active)}
        latest={last?.readings.find((x) => x.place === active && !last.actions.length)?.capture ?? null}
        onDone={fresh}
      />
      <section className="sheet grid gap-5" aria-live="polite">
        <h1>
          {bench.data.printer}: {r.places.length > 1 ? "belts" : "belt"} {names}
        </h1>
        <Standing r={r} belts={bench.data.belts} onPick={setChosen} active={active} />
        {last?.actions.length ? null : <Courses courses={r.courses} />}
        {r.missing.length ? (
          <p className="text-[19px] font-semibold">
            {last?.actions.length ? "Turned. " : ""}Now pluck belt {active.toUpperCase()}.
          </p>
        ) : r.advice ? (
          <ToDo
            key={number}
            printerId={id}
            printer={bench.data.printer}
            round={number}
            caseId={caseId}
            advice={r.advice}
            back={turnedBack(r)}
            belts={bench.data.belts.filter((b) => r.places.includes(b.place))}
            onDone={fresh}
          />
        ) : null}
        <Rounds printerId={id} place={place} caseId={caseId} belts={bench.data.belts} strips={false} />
      </section>
    </div>
  );
}

/** What turning came to, where it did not simply help: it got worse, or no longer helps; else how much is gone. */
function Courses({ courses }: { courses: Schemas["BeltCourse"][] }) {
  return courses.map(({ place, course }) => (
    <p key={place} className="text-[17px]">
      <b>{place.toUpperCase()}.</b> {course.words}
      {course.improvement && course.state !== "worse"
        ? ` ${Math.round(course.improvement.value)} % of what it was off by at first is gone (± ${Math.round(course.improvement.u95 ?? 0)} %).`
        : ""}
    </p>
  ));
}

/** Each belt on its strip, with the round before as a ghost, and their difference. */
function Standing({
  r,
  belts,
  onPick,
  active,
}: {
  r: Schemas["RoundsOut"];
  belts: Schemas["BenchBelt"][];
  onPick: (p: string) => void;
  active: string;
}) {
  const me = useMe();
  const last = r.rounds[r.rounds.length - 1];
  const waiting = last && last.actions.length > 0;
  return (
    <div className="grid gap-4">
      {r.places.map((p) => {
        const belt = belts.find((b) => b.place === p)!;
        const seen = r.rounds
          .map((x) => tensionOf(x.readings.find((y) => y.place === p)?.capture))
          .filter((q) => q != null);
        const nowQ = waiting ? null : tensionOf(last?.readings.find((x) => x.place === p)?.capture);
        const before = nowQ ? seen[seen.length - 2] : seen[seen.length - 1];
        const shown = nowQ ? show(nowQ, me) : null;
        return (
          <div key={p}>
            <div className="flex flex-wrap items-baseline justify-between gap-x-4">
              <button
                type="button"
                className="min-h-11 text-left text-[17px] font-semibold"
                aria-pressed={active === p}
                onClick={() => onPick(p)}
              >
                Belt {p.toUpperCase()}{" "}
                <span className="font-normal text-ink2 underline">
                  {belt.belt.tensioner_place ? `tensioner ${belt.belt.tensioner_place}` : "choose"}
                </span>
              </button>
              <span>
                <span className="figure">{shown ? shown.value : "–"}</span>
                <span className="ml-1.5 text-[18px] text-ink2">{shown?.unit}</span>
                {shown?.pm ? <span className="ml-2 font-mono text-ink2">± {shown.pm}</span> : null}
              </span>
            </div>
            <Strip
              label={`Tension of belt ${p.toUpperCase()}`}
              quantity={nowQ}
              before={before ?? null}
              low={belt.target_low_n}
              high={belt.target_high_n}
              width={640}
            />
          </div>
        );
      })}
      {r.advice?.imbalance_percent ? (
        <p className="text-[17px]">
          Difference <b className="font-mono">{sentence(r.advice.imbalance_percent, me)}</b>
          {r.advice.slacker
            ? `; ${r.advice.slacker.toUpperCase()} is the slacker.`
            : "; neither is surely the slacker."}
        </p>
      ) : null}
    </div>
  );
}

function amount(b: BeltAdvice): string {
  if (!b.turns) return "";
  return b.turns.unit === "mm" ? `${b.turns.value.toFixed(1)} mm` : turns(b.turns.value);
}

/** What a turn changes, and how that is known: by the book until this machine was turned. */
function gives(b: BeltAdvice, me: Preferences): string {
  const gain = sentence(b.newtons_per_turn, me);
  const of = b.learned_from === 1 ? "one round" : `${b.learned_from} rounds`;
  return b.learned_from
    ? `This machine gives ${gain}, as learned from ${of}.`
    : `By the book it gives ${gain}; this machine was not turned yet.`;
}

/** Which way: a screw by its turning, a slider away from its belt or toward it. */
function way(b: BeltAdvice): string {
  if (b.direction === "away") return "away from the belt";
  return b.direction === "toward" ? "toward the belt" : (b.direction ?? "");
}

type Turned = { place: string; turns: number; advised: number };

/** What turning back means, where turning made a belt worse: all that was turned of it before the newest reading. */
export function turnedBack(r: Pick<Schemas["RoundsOut"], "rounds" | "courses">): Turned[] {
  const before = r.rounds[r.rounds.length - 2];
  return r.courses
    .filter((c) => c.course.state === "worse")
    .flatMap(({ place }) => {
      const turned = before?.actions.filter((a) => a.place === place).reduce((sum, a) => sum + a.turns, 0) ?? 0;
      return turned ? [{ place, turns: -turned, advised: -turned }] : [];
    });
}

function ToDo({
  printerId,
  printer,
  round,
  caseId,
  advice,
  back: turnBack,
  belts,
  onDone,
}: {
  printerId: number;
  printer: string;
  round: number;
  caseId: number | null;
  advice: Advice;
  back: Turned[];
  belts: Schemas["BenchBelt"][];
  onDone: () => void;
}) {
  const me = useMe();
  const go = useNavigate();
  const [otherwise, setOtherwise] = useState(false);
  // In the order in which they are to be turned.
  const order = advice.advice
    .map((a) => advice.belts.find((b) => b.id === a.target))
    .filter((b): b is BeltAdvice => b?.turns != null);
  const said = (m: Turned) => `${m.place.toUpperCase()} ${m.turns > 0 ? "+" : ""}${Number(m.turns.toFixed(3))}`;
  const about = caseId ? `/cases/${caseId}` : `/machines/${printerId}`;
  const mark = `turn ${belts.map((b) => b.place).join("")} ${round}`;
  const waits = useWaiting(about).find((e) => e.mark === mark);
  const turn = useWrite<unknown, Turned[]>((made) => {
    const body = (m: Turned): Schemas["Turn"] => ({ ...m, case_id: caseId, note: "" });
    const path = `/api/printers/${printerId}/turns`;
    const words = `${printer}: turned ${made.map(said).join(", ")}`;
    return { words, about, mark, writes: made.map((m) => ({ path, body: body(m) })) };
  }, onDone);
  // Where the second is refused the first stands: the rounds are asked for again, so that it is not turned twice.
  const send = (made: Turned[]) => turn.mutate(made, { onError: onDone });
  const asAdvised = () =>
    send(
      order.map((b) => {
        const sign = b.tighten ? 1 : -1;
        const value = b.turns!.value * sign;
        return {
          place: b.id,
          turns: b.turns!.unit === "mm" ? Math.round(value * 10) / 10 : eighth(value),
          advised: value,
        };
      }),
    );
  const back = () => go(caseId ? `/cases/${caseId}` : `/machines/${printerId}`);
  const primary = turn.isPending || otherwise || waits ? null : order.length ? asAdvised : advice.holds ? back : null;
  useKey("Enter", primary);
  if (waits)
    return (
      <KeptNote id={waits.id}>
        what it changed is learned then. Pluck {belts.length > 1 ? "both belts" : "it"} again now: that is kept, too
      </KeptNote>
    );
  if (!order.length)
    return (
      <div className="grid gap-3 border-t border-hair pt-4">
        {advice.holds ? (
          <p className="text-[24px] leading-snug font-bold">It holds. Nothing more to turn.</p>
        ) : (
          advice.advice.map((a) => (
            <p key={a.action} className="text-[19px]">
              <b>The figure cannot tell yet.</b> {a.reason}
            </p>
          ))
        )}
        <Button
          next={advice.holds}
          keyHint={advice.holds ? "Enter" : undefined}
          onClick={back}
          className="justify-self-start"
        >
          {caseId ? "Back to the case" : "To the machine"}
        </Button>
      </div>
    );
  return (
    <div className="grid gap-3 border-t border-hair pt-4">
      <h2>Do now, motors off</h2>
      <ol className="grid gap-3">
        {order.map((b) => {
          const belt = belts.find((x) => x.place === b.id)!;
          const where = belt.belt.tensioner_place || `belt ${b.id.toUpperCase()}`;
          return (
            <li key={b.id}>
              <p className="text-[24px] leading-snug font-bold">
                {b.id.toUpperCase()}, {where}: {amount(b)} {way(b)}.
              </p>
              <p className="text-ink2">
                {gives(b, me)} Expect {sentence(b.expect, me)} after it.
              </p>
            </li>
          );
        })}
      </ol>
      <p className="text-[15px] text-ink2">
        Loosen the lock, {order.some((b) => b.turns!.unit === "turns") ? "turn" : "help the slider by hand"}, lock
        again, run the axis once end to end. Stop if a printed part creaks.
      </p>
      <ErrorNote error={turn.error} />
      {otherwise ? (
        <Otherwise belts={advice.belts} busy={turn.isPending} onTurned={send} leave={() => setOtherwise(false)} />
      ) : (
        <div className="flex flex-wrap gap-3">
          <Button next keyHint="Enter" onClick={asAdvised} disabled={turn.isPending}>
            Done, measure again
          </Button>
          <Button onClick={() => setOtherwise(true)}>I turned it differently</Button>
          {turnBack.length ? (
            <Button onClick={() => send(turnBack)} disabled={turn.isPending}>
              I turned {turnBack.map((m) => m.place.toUpperCase()).join(" and ")} back
            </Button>
          ) : null}
        </div>
      )}
    </div>
  );
}

function Otherwise({
  belts,
  busy,
  onTurned,
  leave,
}: {
  belts: BeltAdvice[];
  busy: boolean;
  onTurned: (made: Turned[]) => void;
  leave: () => void;
}) {
  const [text, setText] = useState<Record<string, string>>({});
  const [error, setError] = useState("");
  return (
    <form
      className="grid gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        const made = [];
        for (const b of belts) {
          const t = text[b.id]?.trim();
          if (!t) continue;
          const v = parseFigure(t);
          if (v === null || v === 0)
            return setError(`Belt ${b.id.toUpperCase()}: “${t}” is no amount. Tighter is positive, slacker negative.`);
          made.push({ place: b.id, turns: v, advised: (b.turns?.value ?? 0) * (b.tighten === false ? -1 : 1) });
        }
        if (!made.length) return setError("Enter how far you turned at least one of them.");
        onTurned(made);
      }}
    >
      {belts.map((b) => (
        <TextField
          key={b.id}
          label={`Belt ${b.id.toUpperCase()}, ${b.turns?.unit === "mm" || b.newtons_per_turn.unit === "N/mm" ? "mm" : "turns"}`}
          hint="Tighter is positive, slacker negative; empty if not touched."
          inputMode="text"
          value={text[b.id] ?? ""}
          onText={(typed) => setText({ ...text, [b.id]: typed })}
        />
      ))}
      <ErrorNote error={error} />
      <div className="flex gap-3">
        <Button next type="submit" disabled={busy}>
          So I turned it
        </Button>
        <Button onClick={leave}>Back</Button>
      </div>
    </form>
  );
}
