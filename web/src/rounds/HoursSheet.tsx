/** When people are there for service; one's own are changed here, the lead's are everybody's. */
import { useState } from "react";
import { api, got } from "../api/client";
import { Button, ErrorNote, fieldError, INPUT } from "../kit/bits";
import { atLeast, useMe } from "../session/me";
import { useWeekWrite, type Week } from "./week";

type Person = Week["people"][number];
type Span = Person["hours"][number];

const DAYS = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const short = (t: string) => t.slice(0, 5);

export function HoursSheet({ w }: { w: Week }) {
  const me = useMe();
  const lead = atLeast(me, "lead");
  const [open, setOpen] = useState<number | null>(null);
  return (
    <section className="sheet grid gap-2" aria-labelledby="hours">
      <h2 id="hours">Who is there</h2>
      <ul className="rows">
        {w.people.map((p) => (
          <li key={p.user_id} className="grid gap-1 py-2">
            <div className="flex items-center justify-between gap-3">
              <b>{p.name}</b>
              {open === p.user_id || !(lead || p.user_id === me.id) ? null : (
                <Button onClick={() => setOpen(p.user_id)} aria-label={`Change the hours of ${p.name}`}>
                  Change
                </Button>
              )}
            </div>
            {open === p.user_id ? (
              <HoursForm p={p} monday={w.monday} leave={() => setOpen(null)} />
            ) : (
              <span className="text-ink2">
                {p.hours.length
                  ? p.hours.map((h) => `${DAYS[h.weekday]} ${short(h.begins)} to ${short(h.ends)}`).join("; ")
                  : "no hours told"}
              </span>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

function HoursForm({ p, monday, leave }: { p: Person; monday: string; leave: () => void }) {
  const [rows, setRows] = useState<Span[]>(
    p.hours.length ? p.hours.map((h) => ({ ...h, begins: short(h.begins), ends: short(h.ends) })) : [NEW],
  );
  const write = useWeekWrite(
    monday,
    () => got(api.POST("/api/service/hours", { body: { user_id: p.user_id, hours: rows } })),
    leave,
  );
  const set = (i: number, part: Partial<Span>) => setRows(rows.map((r, k) => (k === i ? { ...r, ...part } : r)));
  return (
    <form
      className="grid gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        write.mutate(undefined);
      }}
    >
      {rows.map((r, i) => {
        const wrong = fieldError(write.error, `hours.${i}.begins`) ?? fieldError(write.error, `hours.${i}.ends`);
        return (
          <fieldset key={i} className="grid gap-1.5 border-l-[5px] border-line pl-3">
            <legend className="sr-only">{`Time ${i + 1}`}</legend>
            <select
              aria-label={`Day of time ${i + 1}`}
              className={INPUT}
              value={r.weekday}
              onChange={(e) => set(i, { weekday: Number(e.target.value) })}
            >
              {DAYS.map((d, k) => (
                <option key={d} value={k}>
                  {d}
                </option>
              ))}
            </select>
            <div className="grid grid-cols-[1fr_1fr_auto] gap-2">
              <input
                type="time"
                required
                step={300}
                aria-label={`Time ${i + 1} from`}
                className={INPUT}
                value={r.begins}
                onChange={(e) => set(i, { begins: e.target.value })}
              />
              <input
                type="time"
                required
                step={300}
                aria-label={`Time ${i + 1} until`}
                className={INPUT}
                value={r.ends}
                onChange={(e) => set(i, { ends: e.target.value })}
              />
              <Button onClick={() => setRows(rows.filter((_, k) => k !== i))} aria-label={`Without time ${i + 1}`}>
                Off
              </Button>
            </div>
            {wrong ? (
              <p role="alert" className="font-semibold text-failed">
                {wrong}
              </p>
            ) : null}
          </fieldset>
        );
      })}
      <ErrorNote error={write.error} />
      <div className="flex flex-wrap gap-2">
        <Button next type="submit" disabled={write.isPending}>
          Keep it so
        </Button>
        <Button disabled={rows.length >= 40} onClick={() => setRows([...rows, NEW])}>
          One more
        </Button>
        <Button onClick={leave}>Leave it</Button>
      </div>
    </form>
  );
}

const NEW: Span = { weekday: 1, begins: "09:00", ends: "12:00" };
