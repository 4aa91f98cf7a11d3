/** The settings ledger: values that were set on a machine, newest first, each with what it was and the way back. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote } from "../kit/bits";
import { ago } from "../kit/figures";
import { capital } from "../kit/words";
import { KeptNote } from "../offline/KeptNote";
import { useWaiting, useWrite } from "../offline/useEntries";
import { StoredMark } from "./StoredMark";

type Row = Schemas["StoredOut"];

export function Ledger({ printerId, name, className = "" }: { printerId: number; name?: string; className?: string }) {
  const client = useQueryClient();
  const ledger = useQuery({
    queryKey: ["ledger", printerId],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/ledger", { params: { path: { printer_id: printerId } } })),
  });
  const about = `/machines/${printerId}`;
  const waiting = useWaiting(about);
  const back = useWrite<Row[], Row>(
    (r) => ({
      words: `${r.words} set back to ${r.was} ${r.unit}`,
      about,
      mark: `back ${r.id}`,
      writes: [{ path: `/api/ledger/${r.id}/back` }],
    }),
    (rows) => client.setQueryData(["ledger", printerId], rows),
  );
  const all = (ledger.data ?? []).filter((r) => !name || r.name === name);
  // The last few; all of it has a page of its own.
  const rows = name ? all : all.slice(0, 5);
  // At a bench only what was set there is of matter.
  if (!rows.length && name) return null;
  return (
    <section className={`grid gap-2 ${className}`}>
      <h2>Settings ledger</h2>
      {name ? null : (
        <p>
          <Link to={`/machines/${printerId}/stored`} className="inline-flex min-h-11 items-center font-semibold">
            All that it has stored; before and after a firmware change
          </Link>
        </p>
      )}
      <ul className="rows">
        {rows.map((r) => (
          <li key={r.id} className="flex flex-wrap items-baseline justify-between gap-x-4 gap-y-1 py-2">
            <span>
              <b>{capital(r.words)}</b>{" "}
              <span className={r.value == null ? "" : "font-mono"}>
                {r.value == null ? r.text : Number(r.value.toFixed(4))} {r.unit}
              </span>
              {r.was != null ? <span className="text-ink2"> was {Number(r.was.toFixed(4))}</span> : null}
              {r.present ? (
                <span className="ml-3 text-[15px]">
                  <StoredMark stand={r.stand} />
                </span>
              ) : null}
              {r.doubt ? <span className="block text-[15px]">In doubt: {r.doubt}.</span> : null}
              <span className="block text-[15px] text-ink2">
                <time title={new Date(r.at).toLocaleString()}>{ago(r.at)}</time>, {r.by}. {r.reason}
              </span>
            </span>
            {r.present && r.was != null ? (
              <details>
                <summary className="min-h-11 cursor-pointer py-2 underline">Way back</summary>
                <pre className="bg-well p-2 font-mono text-[15px]">
                  {r.script.trim() || `set ${r.words} to ${r.was}`}
                </pre>
                {waiting.some((e) => e.mark === `back ${r.id}`) ? (
                  <KeptNote id={`back ${r.id}`}>the ledger has it then</KeptNote>
                ) : (
                  <Button className="min-h-11" disabled={back.isPending} onClick={() => back.mutate(r)}>
                    It is set back: write it down
                  </Button>
                )}
              </details>
            ) : null}
          </li>
        ))}
      </ul>
      <ErrorNote error={back.error} />
    </section>
  );
}
