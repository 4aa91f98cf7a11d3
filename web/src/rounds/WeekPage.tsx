/** The week: which round by whom and when, what did not fit and why; moved by hand, and planned again around it. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got } from "../api/client";
import { Button, ErrorNote, Field, fieldError, INPUT, Loading, TextField, useKey, useTitle } from "../kit/bits";
import { ago } from "../kit/figures";
import { counted, inside } from "../kit/words";
import { Calendars } from "./Calendars";
import { HoursSheet } from "./HoursSheet";
import { useWeekWrite, type Week, weekKey } from "./week";
import { local, mondayOf } from "./words";

type Sitting = Week["sittings"][number];
type Planned = Week["rounds"][number];

const dayWords = (iso: string) =>
  new Date(iso).toLocaleDateString(undefined, { weekday: "long", day: "numeric", month: "long" });
const clock = (iso: string) =>
  new Date(iso).toLocaleTimeString(undefined, { hour: "2-digit", minute: "2-digit", hour12: false });
const minutes = (r: { begins: string; ends: string }) => (Date.parse(r.ends) - Date.parse(r.begins)) / 60e3;

export function WeekPage() {
  const [ahead, setAhead] = useState(0);
  const monday = mondayOf(new Date(), ahead);
  const week = useQuery({
    queryKey: weekKey(monday),
    queryFn: () => got(api.GET("/api/service/week", { params: { query: { day: monday } } })),
    placeholderData: (before) => before,
  });
  const plan = useWeekWrite(monday, () => got(api.POST("/api/service/week", { body: { monday } })));
  useKey("1", plan.isPending ? null : () => plan.mutate(undefined));
  useTitle("The week");
  if (!week.data) return week.error ? <ErrorNote error={week.error} /> : <Loading what="the week" />;
  const w = week.data;
  const days = [...new Set(w.sittings.map((s) => local(new Date(s.begins))))].sort();
  const until = new Date(`${monday}T12:00:00`);
  until.setDate(until.getDate() + 6);
  return (
    <div className="mx-auto grid max-w-6xl items-start gap-4 lg:grid-cols-[1fr_340px]">
      <div className="grid gap-4">
        <section className="sheet grid gap-3" aria-labelledby="week">
          <p className="text-ink2">
            <Link to="/rounds">All rounds</Link>
          </p>
          <div className="flex flex-wrap items-center justify-between gap-3">
            <h1 id="week">
              {new Date(`${monday}T12:00:00`).toLocaleDateString(undefined, { day: "numeric", month: "long" })} to{" "}
              {until.toLocaleDateString(undefined, { day: "numeric", month: "long" })}
            </h1>
            <span className="flex gap-2">
              <Button disabled={ahead === 0} onClick={() => setAhead(ahead - 1)}>
                Week before
              </Button>
              <Button disabled={ahead === 8} onClick={() => setAhead(ahead + 1)}>
                Week after
              </Button>
            </span>
          </div>
          <div className="flex flex-wrap items-center gap-4">
            <Button
              next={!w.planned_at && days.length > 0}
              keyHint="1"
              disabled={plan.isPending}
              onClick={() => plan.mutate(undefined)}
            >
              {w.planned_at ? "Plan it again" : "Plan this week"}
            </Button>
            <span className="text-[15px] text-ink2">
              {w.planned_at
                ? `Planned ${ago(w.planned_at)} by ${w.by}${w.share < 0.995 ? `; no plan can be worth more than ${Math.ceil(100 * (1 / w.share - 1))} % above it` : "; no plan is worth more"}.`
                : "What is due and presses most goes into the hours of those who are there; booked machines are left alone."}
            </span>
          </div>
          <ErrorNote error={plan.error} />
        </section>
        {days.length ? (
          days.map((d) => (
            <section key={d} className="sheet grid gap-3" aria-label={dayWords(`${d}T12:00:00`)}>
              <h2>{dayWords(`${d}T12:00:00`)}</h2>
              {w.sittings
                .filter((s) => local(new Date(s.begins)) === d)
                .map((s) => (
                  <OneSitting key={`${s.user_id}${s.begins}`} s={s} w={w} />
                ))}
            </section>
          ))
        ) : (
          <section className="sheet">
            <p className="text-[19px]">
              Nobody has hours for service {ahead ? "in that week" : "in what is left of this week"}.
            </p>
            {ahead === 0 ? (
              <Button next className="justify-self-start" onClick={() => setAhead(1)}>
                Look at next week
              </Button>
            ) : null}
          </section>
        )}
        <Elsewhere w={w} />
        {w.left.length && days.length ? (
          <section className="sheet" aria-labelledby="left">
            <h2 id="left">Did not fit</h2>
            <ul className="rows">
              {w.left.map((x) => (
                <li key={x.printer_id} className="flex flex-wrap items-center gap-x-5 gap-y-1 py-2.5">
                  <span className="flex-1">
                    <b className="text-[18px]">{x.printer}</b>{" "}
                    <span className="text-ink2">
                      {counted(x.tasks, "task", "tasks")}, {Math.round(x.minutes)} min
                    </span>
                    <span className="block">
                      {x.why} {x.would ? <b>It would fit with {inside(x.would)}</b> : null}
                    </span>
                  </span>
                  <Move w={w} printer={x} />
                </li>
              ))}
            </ul>
          </section>
        ) : null}
      </div>
      <aside className="grid gap-4">
        <HoursSheet w={w} />
        <Calendars w={w} />
      </aside>
    </div>
  );
}

const of = (s: Sitting) => (r: Planned) => r.user_id === s.user_id && r.ends > s.begins && r.begins < s.ends;

/** Somebody's hours as a strip with the rounds in it, and the rounds below. */
function OneSitting({ s, w }: { s: Sitting; w: Week }) {
  const mine = w.rounds.filter((r) => of(s)(r));
  const [from, to] = [Date.parse(s.begins), Date.parse(s.ends)];
  const at = (iso: string) => (100 * (Math.min(Math.max(Date.parse(iso), from), to) - from)) / (to - from);
  const done = mine.reduce((sum, r) => sum + minutes(r), 0);
  return (
    <div className="grid gap-1.5">
      <p>
        <b>{s.name}</b>{" "}
        <span className="font-mono">
          {clock(s.begins)} to {clock(s.ends)}
        </span>{" "}
        <span className="text-ink2">
          {mine.length ? `${Math.round(done)} of ${Math.round(minutes(s))} minutes` : "nothing planned"}
          {s.fetching ? `, and ${Math.round(s.fetching)} to fetch what they take` : ""}
        </span>
        {s.fetched.length ? (
          <span className="block text-[15px] text-ink2">Take along: {s.fetched.join(", ")}.</span>
        ) : null}
      </p>
      <div className="relative h-4 border border-line bg-well" aria-hidden="true">
        {mine.map((r) => (
          <span
            key={r.printer_id}
            className={`absolute inset-y-0 border-r-2 border-sheet ${r.clashes ? "bg-failed" : r.fixed ? "bg-ink" : "bg-ink2"}`}
            style={{ left: `${at(r.begins)}%`, width: `${at(r.ends) - at(r.begins)}%` }}
          />
        ))}
      </div>
      {mine.length ? (
        <ul className="rows">
          {mine.map((r) => (
            <RoundRow key={r.printer_id} r={r} w={w} />
          ))}
        </ul>
      ) : null}
    </div>
  );
}

function RoundRow({ r, w }: { r: Planned; w: Week }) {
  const free = useWeekWrite(w.monday, () =>
    got(api.POST("/api/service/week/free", { body: { monday: w.monday, printer_id: r.printer_id } })),
  );
  return (
    <li className="flex flex-wrap items-center gap-x-5 gap-y-1 py-2">
      <span className="w-28">
        <b className="block font-mono text-[18px]">{clock(r.begins)}</b>
        <span className="font-mono text-[15px] text-ink2">{Math.round(minutes(r))} min</span>
      </span>
      <span className="flex-1">
        <Link to={`/rounds/${r.printer_id}`} className="text-[18px] font-semibold">
          {r.printer}
        </Link>{" "}
        <span className="text-ink2">
          {r.area}, {counted(r.tasks, "task", "tasks")}
        </span>
        {r.clashes ? (
          <b className="block text-failed">It meets a booking, another round or the end of the hours.</b>
        ) : r.fixed ? (
          <span className="block text-[15px] text-ink2">put there by hand</span>
        ) : null}
      </span>
      {r.fixed ? (
        <Button
          disabled={free.isPending}
          onClick={() => free.mutate(undefined)}
          aria-label={`Let it be planned: ${r.printer}`}
        >
          Let it be planned
        </Button>
      ) : null}
      <Move w={w} printer={r} />
      <ErrorNote error={free.error} />
    </li>
  );
}

/** Rounds put by hand where nobody has hours. */
function Elsewhere({ w }: { w: Week }) {
  const rows = w.rounds.filter((r) => !w.sittings.some((s) => of(s)(r)));
  if (!rows.length) return null;
  return (
    <section className="sheet" aria-labelledby="outside">
      <h2 id="outside">Outside anybody's hours, or over</h2>
      <ul className="rows">
        {rows.map((r) => (
          <li key={r.printer_id} className="py-2">
            {dayWords(r.begins)}: <RoundRow r={r} w={w} />
          </li>
        ))}
      </ul>
    </section>
  );
}

type MoveProps = { w: Week; printer: { printer_id: number; printer: string; user_id?: number; begins?: string } };

function Move({ w, printer }: MoveProps) {
  const [open, setOpen] = useState(false);
  const people = w.people.filter((p) => p.hours.length);
  const [user, setUser] = useState(String(printer.user_id ?? people[0]?.user_id ?? ""));
  const [begins, setBegins] = useState(
    printer.begins ? `${local(new Date(printer.begins))}T${clock(printer.begins)}` : `${w.monday}T09:00`,
  );
  const move = useWeekWrite(
    w.monday,
    () =>
      got(
        api.POST("/api/service/week/move", {
          body: { monday: w.monday, printer_id: printer.printer_id, user_id: Number(user), begins: `${begins}:00` },
        }),
      ),
    () => setOpen(false),
  );
  if (!people.length) return null;
  if (!open)
    return (
      <Button onClick={() => setOpen(true)} aria-label={`Put it by hand: ${printer.printer}`}>
        Put it by hand
      </Button>
    );
  return (
    <form
      className="flex w-full flex-wrap items-end gap-3 border-l-[5px] border-line pl-4"
      onSubmit={(e) => {
        e.preventDefault();
        move.mutate(undefined);
      }}
    >
      <div className="w-56">
        <Field label="To whom" error={fieldError(move.error, "user_id")}>
          {(fid) => (
            <select id={fid} className={INPUT} value={user} onChange={(e) => setUser(e.target.value)}>
              {people.map((p) => (
                <option key={p.user_id} value={p.user_id}>
                  {p.name}
                </option>
              ))}
            </select>
          )}
        </Field>
      </div>
      <div className="w-60">
        <TextField
          label="When"
          type="datetime-local"
          step={300}
          required
          value={begins}
          error={fieldError(move.error, "begins")}
          onText={setBegins}
        />
      </div>
      <Button next type="submit" disabled={move.isPending}>
        Put it there
      </Button>
      <Button onClick={() => setOpen(false)}>Leave it</Button>
      <ErrorNote error={move.error} />
    </form>
  );
}
