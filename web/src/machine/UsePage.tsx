/** How much a machine was used: its meters with how they are known, its weeks as its job logs tell them, and a log to be taken. */
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Loading, useTitle } from "../kit/bits";
import { ago, onDay } from "../kit/figures";
import { counted } from "../kit/words";
import { JobLogSheet } from "./JobLogSheet";
import { MeterSheet } from "./MeterSheet";
import { Weeks } from "./Weeks";

type Meter = Schemas["MeterOut"];

const called = (m: Meter) =>
  m.what === "hours" ? "Hours" : m.what === "filament" ? "Filament" : `Travel of ${m.what.toUpperCase()}`;

export function UsePage() {
  const id = Number(useParams().id);
  const params = { path: { printer_id: id } };
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params })),
  });
  const use = useQuery({
    queryKey: ["printer", id, "use"],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/use", { params })),
  });
  useTitle(printer.data ? `Use of ${printer.data.name}` : undefined);
  if (!use.data || !printer.data)
    return use.error || printer.error ? (
      <ErrorNote error={use.error ?? printer.error} />
    ) : (
      <Loading what="how much it was used" />
    );
  const { meters, weeks, logs } = use.data;
  return (
    <div className="grid items-start gap-5 lg:grid-cols-[400px_1fr]">
      <div className="grid gap-5">
        <section className="sheet grid gap-1">
          <p className="text-ink2">
            <Link to={`/machines/${id}`}>{printer.data.name}</Link>, <Link to={`/machines/${id}/parts`}>its parts</Link>
          </p>
          <h1 className="!text-[26px]">How much it was used</h1>
        </section>
        <MeterSheet id={id} meter={meters[0]!} />
        <section className="sheet" aria-labelledby="more-meters">
          <h2 id="more-meters">Filament and travel</h2>
          {meters[0]!.value == null ? <p>Known once its hours are.</p> : null}
          <ul className="rows">{meters.slice(1).map((m) => (m.value == null ? null : <Row key={m.what} m={m} />))}</ul>
        </section>
      </div>
      <div className="grid gap-5">
        <JobLogSheet id={id} />
        {weeks.length ? (
          <section className="sheet" aria-labelledby="weeks">
            <h2 id="weeks">Week by week, as its logs tell</h2>
            <Weeks weeks={weeks} name={printer.data.name} />
          </section>
        ) : null}
        {logs.length ? (
          <section className="sheet" aria-labelledby="logs">
            <h2 id="logs">Logs that were brought</h2>
            <ul className="rows">
              {logs.map((l) => (
                <Log key={l.id} l={l} />
              ))}
            </ul>
          </section>
        ) : null}
      </div>
    </div>
  );
}

function Row({ m }: { m: Meter }) {
  const known = m.typical
    ? "Nobody counts it: typical for its hours."
    : m.estimated
      ? `Estimated from its use; known until ${ago(m.read_at!)}.`
      : `Known until ${ago(m.read_at!)}.`;
  const digits = m.value! < 10 ? 2 : 0;
  return (
    <li className="grid gap-0.5 py-2">
      <span className="flex flex-wrap items-baseline justify-between gap-x-4">
        <b>{called(m)}</b>
        <span className="font-mono text-[19px]">
          {m.typical ? "about " : ""}
          {m.value!.toFixed(digits)} {m.unit}
          {m.u95 && (m.typical || Number(m.u95.toFixed(digits)) > 0) ? (
            <span className="text-[15px] text-ink2">
              {" "}
              {m.typical
                ? `(${(m.value! / 3).toFixed(digits)} to ${(m.value! * 3).toFixed(digits)})`
                : `± ${m.u95.toFixed(digits)}`}
            </span>
          ) : null}
        </span>
      </span>
      <span className="text-[15px] text-ink2">{known}</span>
    </li>
  );
}

const day = (iso: string | null) => (iso ? onDay(iso) : "");

function Log({ l }: { l: Schemas["LogOut"] }) {
  const refused = l.wrong.length > 0;
  return (
    <li className="grid gap-1 py-2">
      <span className="flex flex-wrap items-baseline justify-between gap-x-4">
        <b>{l.name}</b>
        <span className="text-[15px] text-ink2">
          {l.by}, <time title={new Date(l.at).toLocaleString()}>{ago(l.at)}</time>
        </span>
      </span>
      {l.taken_at ? (
        <span>
          {counted(l.jobs, "job", "jobs")}, {l.new === l.jobs ? "all" : l.new || "none"} of them new. {day(l.began)} to{" "}
          {day(l.ended)}.
        </span>
      ) : refused ? (
        <>
          <b>Refused: nothing was taken.</b>
          <ul className="list-disc pl-5">
            {l.wrong.map((w) => (
              <li key={`${w.row}${w.column}`}>{w.message}</li>
            ))}
          </ul>
        </>
      ) : (
        <span>Waits for a worker.</span>
      )}
    </li>
  );
}
