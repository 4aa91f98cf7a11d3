/** A round at the machine: one task at a time, large, with its caution; ticked by a key; trouble told of the part it was found in. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { benchPath } from "../bench/paths";
import {
  Button,
  Caution,
  ErrorNote,
  Field,
  fieldError,
  INPUT,
  Loading,
  Steps,
  TextField,
  useKey,
  useTitle,
} from "../kit/bits";
import { ago } from "../kit/figures";
import { counted, inside } from "../kit/words";
import { over } from "./RoundsPage";
import { STATE } from "./words";

type Service = Schemas["ServiceOut"];
type Task = Service["due"][number];
type Tick = Schemas["TickIn"];

export function RoundPage() {
  const id = Number(useParams().id);
  const params = { path: { printer_id: id } };
  const client = useQueryClient();
  const key = ["printer", id, "service"];
  const [later, setLater] = useState<string[]>([]);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params })),
  });
  const service = useQuery({
    queryKey: key,
    queryFn: () => got(api.GET("/api/printers/{printer_id}/service", { params })),
  });
  const told = (now: Service) => {
    client.setQueryData(key, now);
    client.invalidateQueries({ queryKey: ["service"] });
    client.invalidateQueries({ queryKey: ["printer", id, "components"] });
    client.invalidateQueries({ queryKey: ["record", id] });
  };
  useTitle(printer.data ? `Round of ${printer.data.name}` : undefined);
  if (!service.data || !printer.data)
    return service.error || printer.error ? (
      <ErrorNote error={service.error ?? printer.error} />
    ) : (
      <Loading what="the round" />
    );
  const { due, round, asked } = service.data;
  const left = round.filter((t) => !later.includes(t));
  const now = due.find((t) => t.task === left[0]);
  const minutes = due.filter((t) => left.includes(t.task)).reduce((s, t) => s + t.minutes, 0);
  return (
    <div className="mx-auto grid max-w-5xl items-start gap-4 lg:grid-cols-[1fr_340px]">
      <div className="grid gap-4">
        <section className="sheet grid gap-4">
          <div className="flex flex-wrap items-baseline justify-between gap-x-4">
            <p className="text-ink2">
              <Link to={`/machines/${id}`}>{printer.data.name}</Link>, <Link to="/rounds">all rounds</Link>
            </p>
            {now ? <b className="text-[19px]">{STATE[now.state]}</b> : null}
          </div>
          {now ? (
            <One key={now.task} id={id} t={now} onTold={told} onLater={() => setLater([...later, now.task])} />
          ) : (
            <>
              <h1>{round.length ? "The rest is left for later" : "Nothing is due today"}</h1>
              {round.length ? (
                <Button className="justify-self-start" onClick={() => setLater([])}>
                  Take it up again
                </Button>
              ) : null}
            </>
          )}
        </section>
        <Asked id={id} asked={asked} due={due} onTold={told} />
      </div>
      <aside className="sheet" aria-labelledby="order">
        <h2 id="order">
          {left.length ? `${counted(left.length, "task", "tasks")}, about ${Math.round(minutes)} minutes` : "In order"}
        </h2>
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
      </aside>
    </div>
  );
}

type OneProps = { id: number; t: Task; onTold: (s: Service) => void; onLater: () => void };

function One({ id, t, onTold, onLater }: OneProps) {
  const [trouble, setTrouble] = useState(false);
  const [words, setWords] = useState("");
  const [part, setPart] = useState("");
  const tick = useMutation({
    mutationFn: (body: Tick) =>
      got(api.POST("/api/printers/{printer_id}/service/done", { params: { path: { printer_id: id } }, body })),
    onSuccess: onTold,
  });
  const done = (found: "fine" | "needed") => tick.mutate({ task: t.task, found, words: "", component_id: null });
  const free = !trouble && !tick.isPending;
  useKey("1", free ? () => done("fine") : null);
  useKey("2", free ? () => done("needed") : null);
  useKey("3", free ? () => setTrouble(true) : null);
  const stuff = [...new Set(t.parts.map((p) => p.lubricant).filter(Boolean))];
  return (
    <div className="grid gap-4">
      <div>
        <h1 className="!text-[30px]">{t.label}</h1>
        <p className="text-ink2">
          {t.why} About {Math.round(t.minutes)} minutes.
          {t.last_at ? ` Last done ${ago(t.last_at)} by ${t.last_by}.` : ""}
        </p>
      </div>
      <Caution>{t.caution}</Caution>
      <Steps lines={t.steps} />
      {stuff.length ? (
        <ul className="grid gap-1">
          {stuff.map((s) => (
            <li key={s}>
              <b>With:</b> {s}
            </li>
          ))}
        </ul>
      ) : null}
      {t.tools.length ? <p className="text-ink2">Have at hand: {t.tools.join(", ")}.</p> : null}
      <p>
        <b>Look for:</b> {inside(t.trouble)}
      </p>
      {t.measure && t.parts[0] ? (
        <p className="flex flex-wrap gap-x-4">
          {t.parts.map((p) => (
            <Link
              key={p.id}
              to={benchPath(id, t.measure!, p.place)}
              className="inline-flex min-h-11 items-center font-semibold"
            >
              Measure: {p.label}
            </Link>
          ))}
        </p>
      ) : null}
      <div className="flex flex-wrap gap-3">
        <Button next keyHint="1" disabled={!free} onClick={() => done("fine")}>
          Done, all fine
        </Button>
        <Button keyHint="2" disabled={!free} onClick={() => done("needed")}>
          Done, it was wanted
        </Button>
        <Button keyHint="3" disabled={!free} onClick={() => setTrouble(true)}>
          Found trouble
        </Button>
        <Button disabled={tick.isPending} onClick={onLater}>
          Later
        </Button>
      </div>
      {trouble ? (
        <form
          className="grid max-w-[34em] gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            tick.mutate({ task: t.task, found: "trouble", words, component_id: part ? Number(part) : null });
          }}
        >
          {t.parts.length > 1 ? (
            <Field label="In which?" error={fieldError(tick.error, "component_id")}>
              {(fid) => (
                <select id={fid} className={INPUT} value={part} onChange={(e) => setPart(e.target.value)}>
                  <option value="">choose</option>
                  {t.parts.map((p) => (
                    <option key={p.id} value={p.id}>
                      {p.label}
                    </option>
                  ))}
                </select>
              )}
            </Field>
          ) : null}
          <TextField
            label="What is wrong?"
            required
            maxLength={300}
            value={words}
            error={fieldError(tick.error, "words")}
            onText={setWords}
          />
          <div className="flex gap-2">
            <Button next type="submit" disabled={tick.isPending}>
              Write it down
            </Button>
            <Button onClick={() => setTrouble(false)}>Leave it</Button>
          </div>
          <p className="text-[15px] text-ink2">
            The part is in trouble until it is seen to. Does it show on prints?{" "}
            <Link to={`/report/${id}`}>Report it as a case</Link>
          </p>
        </form>
      ) : null}
      <ErrorNote error={tick.error} />
    </div>
  );
}

type AskedProps = { id: number; asked: Service["asked"]; due: Task[]; onTold: (s: Service) => void };

/** What the machine itself asks for, in its words. */
function Asked({ id, asked, due, onTold }: AskedProps) {
  const [words, setWords] = useState("");
  const [task, setTask] = useState("");
  const ask = useMutation({
    mutationFn: () =>
      got(
        api.POST("/api/printers/{printer_id}/service/asked", {
          params: { path: { printer_id: id } },
          body: { words, task },
        }),
      ),
    onSuccess: (now) => {
      onTold(now);
      setWords("");
      setTask("");
    },
  });
  const clear = useMutation({
    mutationFn: (row: number) =>
      got(api.POST("/api/service/asked/{asked_id}/clear", { params: { path: { asked_id: row } } })),
    onSuccess: onTold,
  });
  return (
    <section className="sheet grid gap-3" aria-labelledby="asked">
      <h2 id="asked">What the machine asks for</h2>
      {asked.length ? (
        <ul className="rows">
          {asked.map((a) => (
            <li key={a.id} className="flex flex-wrap items-center justify-between gap-3 py-2">
              <span>
                <b className="font-mono">{a.words}</b>
                <span className="block text-[15px] text-ink2">
                  {a.by}, {ago(a.at)}
                  {a.task ? `. It means: ${inside(due.find((t) => t.task === a.task)?.label ?? a.task)}` : ""}
                </span>
              </span>
              <Button disabled={clear.isPending} onClick={() => clear.mutate(a.id)}>
                Done, and cleared on it
              </Button>
            </li>
          ))}
        </ul>
      ) : null}
      <details>
        <summary className="min-h-11 cursor-pointer py-2 text-ink2">It shows a reminder</summary>
        <form
          className="grid max-w-[34em] gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            ask.mutate();
          }}
        >
          <TextField
            label="In its words"
            required
            minLength={2}
            maxLength={200}
            value={words}
            error={fieldError(ask.error, "words")}
            onText={setWords}
          />
          <Field label="It means" error={fieldError(ask.error, "task")}>
            {(fid) => (
              <select id={fid} className={INPUT} value={task} onChange={(e) => setTask(e.target.value)}>
                <option value="">not sure</option>
                {due.map((t) => (
                  <option key={t.task} value={t.task}>
                    {t.label}
                  </option>
                ))}
              </select>
            )}
          </Field>
          <ErrorNote error={ask.error ?? clear.error} />
          <Button type="submit" className="justify-self-start" disabled={ask.isPending}>
            Write it down
          </Button>
        </form>
      </details>
    </section>
  );
}
