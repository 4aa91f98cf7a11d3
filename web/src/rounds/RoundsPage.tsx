/** What is due on which machine, the most overdue first. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, Loading, useTitle } from "../kit/bits";
import { dayOf } from "../kit/figures";
import { counted } from "../kit/words";
import { goPath, over } from "./words";

type Row = Schemas["MachineDue"];

export function RoundsPage() {
  useTitle("Rounds");
  const rows = useQuery({ queryKey: ["service"], queryFn: () => got(api.GET("/api/service")) });
  // The machines of one go, in the order in which they were chosen; null: one at a time.
  const [go, setGo] = useState<number[] | null>(null);
  if (!rows.data) return rows.error ? <ErrorNote error={rows.error} /> : <Loading what="what is due" />;
  const due = rows.data.filter((r) => r.due);
  const rest = rows.data.filter((r) => !r.due);
  return (
    <section className="sheet mx-auto grid max-w-4xl gap-4" aria-labelledby="rounds">
      <div>
        <div className="flex flex-wrap items-baseline justify-between gap-x-6">
          <h1 id="rounds">Rounds</h1>
          <span className="flex flex-wrap gap-x-5 font-semibold">
            <Link to="/rounds/week" className="inline-flex min-h-11 items-center">
              The week
            </Link>
            <Link to="/rounds/tasks" className="inline-flex min-h-11 items-center">
              Tasks, and how often
            </Link>
            <Link to="/rounds/letter" className="inline-flex min-h-11 items-center">
              The letter
            </Link>
            <Link to="/stores" className="inline-flex min-h-11 items-center">
              Stores
            </Link>
            <Link to="/worth" className="inline-flex min-h-11 items-center">
              Minutes and money
            </Link>
          </span>
        </div>
        <p className="mt-1 max-w-[44em] text-ink2">
          What is due by time, hours or filament, whichever comes first, and what a machine asks for.
        </p>
      </div>
      {rows.data.length ? null : <p>There is no machine on the floor yet.</p>}
      {due.length > 1 ? (
        <div className="flex flex-wrap items-center gap-4">
          {go === null ? (
            <Button onClick={() => setGo([])}>Several in one go</Button>
          ) : (
            <>
              {go.length ? (
                <Link
                  to={goPath(go)}
                  className="inline-flex min-h-12 items-center rounded-[3px] bg-go px-5 text-[17px] font-semibold text-goink no-underline"
                >
                  Begin with {due.find((r) => r.printer_id === go[0])?.printer}
                </Link>
              ) : (
                <span className="font-semibold">Choose them in the order in which you walk.</span>
              )}
              {go.length ? <span className="font-mono">{Math.round(minutesOf(due, go))} min</span> : null}
              <Button onClick={() => setGo(null)}>One at a time</Button>
            </>
          )}
        </div>
      ) : null}
      {due.length ? (
        <ol className="rows">
          {due.map((r, i) => (
            <One
              key={r.printer_id}
              r={r}
              first={i === 0 && go === null}
              place={go === null ? null : go.indexOf(r.printer_id) + 1}
              onChoose={() =>
                setGo(go!.includes(r.printer_id) ? go!.filter((p) => p !== r.printer_id) : [...go!, r.printer_id])
              }
            />
          ))}
        </ol>
      ) : rows.data.length ? (
        <p className="text-[21px] font-semibold">Nothing is due today.</p>
      ) : null}
      {rest.length ? (
        <div>
          <h2>Nothing due</h2>
          <ul className="rows">
            {rest.map((r) => (
              <li key={r.printer_id} className="flex flex-wrap items-baseline justify-between gap-x-4 py-2.5">
                <Link to={`/rounds/${r.printer_id}`} className="inline-flex min-h-11 items-center">
                  {r.printer}
                </Link>
                <span className="text-ink2">{r.next_on ? `next on ${dayOf(r.next_on)}` : "no day can be told"}</span>
              </li>
            ))}
          </ul>
        </div>
      ) : null}
    </section>
  );
}

const minutesOf = (rows: Row[], go: number[]) =>
  rows.filter((r) => go.includes(r.printer_id)).reduce((s, r) => s + r.minutes, 0);

/** ``place``: in one go with others, its place there (0: not chosen); null: on its own. */
type OneProps = { r: Row; first: boolean; place: number | null; onChoose: () => void };

function One({ r, first, place, onChoose }: OneProps) {
  return (
    <li className="flex flex-wrap items-center gap-x-5 gap-y-2 py-3">
      {place === null ? null : (
        <label className="flex min-h-11 items-center gap-2">
          <input
            type="checkbox"
            className="h-6 w-6 accent-[var(--ink)]"
            aria-label={`${r.printer} in this go`}
            checked={place > 0}
            onChange={onChoose}
          />
          <b className="w-5 font-mono">{place || ""}</b>
        </label>
      )}
      <span className="flex-1">
        <b className="text-[20px]">{r.printer}</b> <span className="text-ink2">{r.area}</span>
        <span className="block">
          {counted(r.due, "task", "tasks")} due
          {r.never
            ? `, ${r.never === r.due ? "none" : r.never} of them ${r.never === r.due ? "ever" : "never"} written down`
            : ""}
          .{r.worst ? ` ${r.worst}: ${over(r.overdue_by ?? 0)}.` : ""}
        </span>
      </span>
      <span className="font-mono text-ink2">{Math.round(r.minutes)} min</span>
      <Link
        to={`/rounds/${r.printer_id}`}
        className={`inline-flex min-h-12 items-center rounded-[3px] px-5 text-[17px] font-semibold no-underline ${first ? "bg-go text-goink" : "border border-line text-ink"}`}
        aria-label={`The round of ${r.printer}`}
      >
        The round
      </Link>
    </li>
  );
}
