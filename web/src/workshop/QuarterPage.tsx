/** What will be worn out in the next quarter, on which machine, why, and how sure that is; the soonest first. */
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { benchPath } from "../bench/paths";
import { ErrorNote, Loading, useTitle } from "../kit/bits";
import { ago, dayOf } from "../kit/figures";
import { capital } from "../kit/words";

type Expected = Schemas["ExpectedOut"];

const today = () => new Date().toLocaleDateString("sv");
const month = (iso: string) => new Date(iso).toLocaleDateString(undefined, { month: "long", year: "numeric" });
const percent = (p: number) => `${Math.round(100 * p)} %`;

/** Overdue first, then month by month. */
export function byMonth(rows: Expected[]): [string, Expected[]][] {
  const out = new Map<string, Expected[]>();
  for (const r of rows) {
    const key = r.by <= today() ? "Now" : month(r.by);
    out.set(key, [...(out.get(key) ?? []), r]);
  }
  return [...out.entries()];
}

export function QuarterPage() {
  useTitle("The next quarter");
  const rows = useQuery({ queryKey: ["forecast"], queryFn: () => got(api.GET("/api/forecast")) });
  if (!rows.data) return rows.error ? <ErrorNote error={rows.error} /> : <Loading what="the next quarter" />;
  return (
    <section className="sheet mx-auto grid max-w-4xl gap-4" aria-labelledby="quarter">
      <div>
        <h1 id="quarter">The next quarter</h1>
        <p className="mt-1 max-w-[44em] text-ink2">
          What will be wanted by then: parts at the end of their life at their machine's own use, and figures whose
          course reaches a limit. Typical lives are wide, from half to double; where three of a kind have failed here,
          their own life counts.
        </p>
      </div>
      {rows.data.rows.length ? null : (
        <p>
          Nothing that can be told. How old parts are is known where a machine's meter was read at least twice: see{" "}
          <Link to="/">its parts</Link>.
        </p>
      )}
      {byMonth(rows.data.rows).map(([when, list]) => (
        <div key={when}>
          <h2>
            {when} <span className="font-normal text-ink2">({list.length})</span>
          </h2>
          <ul className="rows">
            {list.map((r) => (
              <li
                key={`${r.printer_id}${r.label}${r.place}${r.procedure}`}
                className="grid gap-x-4 gap-y-0.5 py-2.5 sm:grid-cols-[9rem_1fr_auto]"
              >
                <Link to={r.component_id ? `/machines/${r.printer_id}/parts` : `/machines/${r.printer_id}`}>
                  {r.printer}
                </Link>
                <span>
                  <b>{capital(r.label)}</b>
                  <span className="block text-[15px] text-ink2">{r.why}</span>
                  {r.procedure ? (
                    <Link to={benchPath(r.printer_id, r.procedure, r.place)} className="text-[15px]">
                      Measure it
                    </Link>
                  ) : null}
                </span>
                <span className="text-right">
                  {r.by <= today() ? "" : dayOf(r.by)}
                  {r.chance == null ? null : (
                    <span className="block font-mono text-[15px] text-ink2">
                      {percent(r.chance)}
                      {r.low != null && r.high != null ? ` (${percent(r.low)} to ${percent(r.high)})` : ""}
                    </span>
                  )}
                </span>
              </li>
            ))}
          </ul>
        </div>
      ))}
      {rows.data.more ? <p>And {rows.data.more} parts more, later.</p> : null}
      <p className="text-[15px] text-ink2">
        Parts as of <time title={new Date(rows.data.as_of).toLocaleString()}>{ago(rows.data.as_of)}</time>; worked out
        anew whenever one is replaced or a meter is read.
      </p>
    </section>
  );
}
