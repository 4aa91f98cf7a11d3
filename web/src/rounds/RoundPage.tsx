/** A round at the machine: one task at a time, large; what state the machine is in is asked when it changes; it works without network. */
import { useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, got } from "../api/client";
import { benchPath } from "../bench/paths";
import { Button, ErrorNote, Loading, useKey, useTitle } from "../kit/bits";
import { counted } from "../kit/words";
import { WaitsHere } from "../offline/KeptNote";
import { useWaiting } from "../offline/useEntries";
import { AskedSheet } from "./AskedSheet";
import { OneTask, type Service, type Task, type Ticked, useTick } from "./OneTask";
import { StateGate } from "./StateGate";
import { WhereSketch } from "./WhereSketch";
import { goPath, over, STATE } from "./words";

const theMachine = (id: number) => ({
  queryKey: ["printer", id],
  queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
});
const itsService = (id: number) => ({
  queryKey: ["printer", id, "service"],
  queryFn: () => got(api.GET("/api/printers/{printer_id}/service", { params: { path: { printer_id: id } } })),
});

/** The machines that come after this one in the same go. */
const andThen = (told: string | null) =>
  (told ?? "")
    .split(",")
    .map(Number)
    .filter((n) => Number.isInteger(n) && n > 0);

export function RoundPage() {
  const id = Number(useParams().id);
  return <Round key={id} id={id} />;
}

function Round({ id }: { id: number }) {
  const client = useQueryClient();
  const go = useNavigate();
  const after = andThen(useSearchParams()[0].get("then"));
  const [later, setLater] = useState<string[]>([]);
  const [state, setState] = useState<Task["state"] | null>(null);
  const [opened, setOpened] = useState<number | null>(null);
  // Ticked on this page: it goes on at once, whatever the network takes.
  const [gone, setGone] = useState<string[]>([]);
  const printer = useQuery(theMachine(id));
  const service = useQuery(itsService(id));
  // Those that come after are fetched now: down the hall there may be no network.
  const next = useQueries({ queries: after.flatMap((n) => [theMachine(n), itsService(n)]) });
  const names = after.map((n, i) => (next[2 * i]?.data as { name?: string } | undefined)?.name ?? `machine ${n}`);
  const waiting = useWaiting(`/rounds/${id}`);
  const told = (now: Service | Ticked) => {
    client.setQueryData(["printer", id, "service"], now);
    if ("case" in now && now.case) setOpened(now.case);
    client.invalidateQueries({ queryKey: ["service"] });
    client.invalidateQueries({ queryKey: ["printer", id, "components"] });
    client.invalidateQueries({ queryKey: ["record", id] });
    client.invalidateQueries({ queryKey: ["floor"] });
  };
  const tick = useTick(id, printer.data?.name ?? "", told);
  const done = (task: Task, found: "fine" | "needed") => {
    setGone((before) => [...before, task.task]);
    // Each of several on their way is heard of, also an earlier one that is refused.
    tick.mutateAsync({ task, found }).catch(() => setGone((before) => before.filter((t) => t !== task.task)));
  };
  useTitle(printer.data ? `Round of ${printer.data.name}` : undefined);
  if (!service.data || !printer.data)
    return service.error || printer.error ? (
      <ErrorNote error={service.error ?? printer.error} />
    ) : (
      <Loading what="the round" />
    );
  const { due, asked, listen } = service.data;
  // What waits on this device is done, though the workshop does not know it yet.
  const kept = waiting.filter((e) => !e.refused).map((e) => e.mark);
  const round = service.data.round.filter((t) => !kept.includes(t) && !gone.includes(t));
  const left = round.filter((t) => !later.includes(t));
  const now = due.find((t) => t.task === left[0]);
  const minutes = due.filter((t) => left.includes(t.task)).reduce((s, t) => s + t.minutes, 0);
  const along = [...new Set(due.filter((t) => left.includes(t.task)).flatMap((t) => t.fetched))].sort();
  const places = now ? [...new Set(now.parts.map((p) => p.place))] : [];
  return (
    <div className="mx-auto grid max-w-6xl items-start gap-4 lg:grid-cols-[1fr_340px]">
      <div className="grid gap-4">
        <section className="sheet grid gap-4">
          <div className="flex flex-wrap items-baseline justify-between gap-x-4">
            <p className="text-ink2">
              <Link to={`/machines/${id}`}>{printer.data.name}</Link>, <Link to="/rounds">all rounds</Link>
              {names.length ? `; then ${names.join(", ")}` : ""}
            </p>
            {now && state ? (
              <b className="rounded-[3px] border-2 border-ink px-3 py-0.5 text-[19px]">{STATE[state]}</b>
            ) : null}
          </div>
          {opened ? (
            <p role="status" className="border-l-4 border-ink bg-well px-3 py-2">
              Case {opened} is open with what was found. <Link to={`/cases/${opened}`}>Look at it</Link>
            </p>
          ) : null}
          {now && now.state !== state ? (
            <StateGate key={now.state} state={now.state} next={now.label} onDone={() => setState(now.state)} />
          ) : now ? (
            <OneTask
              key={now.task}
              id={id}
              machine={printer.data.name}
              t={now}
              onDone={(found) => done(now, found)}
              onTold={told}
              onLater={() => setLater([...later, now.task])}
            />
          ) : (
            <Over
              left={round.length}
              onAgain={() => setLater([])}
              next={names[0]}
              onNext={after.length ? () => go(goPath(after)) : undefined}
            />
          )}
          <ErrorNote error={tick.error} />
          <WaitsHere about={`/rounds/${id}`} />
        </section>
        <AskedSheet id={id} asked={asked} due={due} onTold={told} />
      </div>
      <aside className="grid content-start gap-4">
        {places.length ? (
          <div className="sheet">
            <WhereSketch description={printer.data.description} places={places} />
          </div>
        ) : null}
        <section className="sheet" aria-labelledby="order">
          <h2 id="order">
            {left.length
              ? `${counted(left.length, "task", "tasks")}, about ${Math.round(minutes)} minutes`
              : "In order"}
          </h2>
          {along.length ? (
            <p className="mb-1">
              <b>Take along:</b> {along.join(", ")}.
            </p>
          ) : null}
          <p className="mb-1">
            <Link to={benchPath(id, listen.procedure, listen.place)} className="inline-flex min-h-11 items-center">
              All is well? Keep its healthy sound
            </Link>
          </p>
          <ol className="rows">
            {round.map((name) => {
              const t = due.find((d) => d.task === name)!;
              return (
                <li key={name} className={`py-2 ${name === now?.task ? "font-semibold" : ""}`}>
                  {t.label}
                  <span className="block text-[15px] font-normal text-ink2">
                    {later.includes(name)
                      ? "later"
                      : t.overdue_by != null && t.overdue_by >= 0
                        ? over(t.overdue_by)
                        : "due soon, done with it"}
                  </span>
                </li>
              );
            })}
          </ol>
          <details className="mt-2">
            <summary className="min-h-11 cursor-pointer py-2 text-ink2">All tasks of this machine</summary>
            <ul className="rows">
              {due.map((t) => (
                <li key={t.task} className="py-2">
                  {t.label}
                  <span className="block text-[15px] text-ink2">
                    {t.due_on ? new Date(t.due_on).toLocaleDateString() : "no day can be told"}. {t.why}
                  </span>
                </li>
              ))}
            </ul>
          </details>
        </section>
      </aside>
    </div>
  );
}

type OverProps = { left: number; onAgain: () => void; next: string | undefined; onNext: (() => void) | undefined };

/** Nothing is left to do on this machine now. */
function Over({ left, onAgain, next, onNext }: OverProps) {
  useKey("1", onNext ?? null);
  return (
    <>
      <h1>{left ? "The rest is left for later" : "Nothing is due today"}</h1>
      <div className="flex flex-wrap gap-3">
        {onNext ? (
          <Button next keyHint="1" onClick={onNext}>
            On to {next}
          </Button>
        ) : null}
        {left ? <Button onClick={onAgain}>Take it up again</Button> : null}
      </div>
    </>
  );
}
