/** What is due on which machine, the most overdue first. */
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Loading, useTitle } from "../kit/bits";
import { counted } from "../kit/words";

type Row = Schemas["MachineDue"];

const day = (iso: string) => new Date(iso).toLocaleDateString(undefined, { day: "numeric", month: "long" });

export function over(days: number): string {
  return days < 1 ? "today" : `${counted(Math.round(days), "day", "days")} over`;
}

export function RoundsPage() {
  useTitle("Rounds");
  const rows = useQuery({ queryKey: ["service"], queryFn: () => got(api.GET("/api/service")) });
  if (!rows.data) return rows.error ? <ErrorNote error={rows.error} /> : <Loading what="what is due" />;
  const due = rows.data.filter((r) => r.due);
  const rest = rows.data.filter((r) => !r.due);
  return (
    <section className="sheet mx-auto grid max-w-4xl gap-4" aria-labelledby="rounds">
      <div>
        <div className="flex flex-wrap items-baseline justify-between gap-x-6">
          <h1 id="rounds">Rounds</h1>
          <span className="flex flex-wrap gap-x-5 font-semibold">
            <Link to="/rounds/tasks" className="inline-flex min-h-11 items-center">
              Tasks, and how often
            </Link>
            <Link to="/stores" className="inline-flex min-h-11 items-center">
              Stores
            </Link>
          </span>
        </div>
        <p className="mt-1 max-w-[44em] text-ink2">
          What is due by time, hours or filament, whichever comes first, and what a machine asks for.
        </p>
      </div>
      {rows.data.length ? null : <p>There is no machine on the floor yet.</p>}
      {due.length ? (
        <ol className="rows">
          {due.map((r, i) => (
            <One key={r.printer_id} r={r} first={i === 0} />
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
                <span className="text-ink2">{r.next_on ? `next on ${day(r.next_on)}` : "no day can be told"}</span>
              </li>
            ))}
          </ul>
        </div>
      ) : null}
    </section>
  );
}

function One({ r, first }: { r: Row; first: boolean }) {
  return (
    <li className="flex flex-wrap items-center gap-x-5 gap-y-2 py-3">
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
