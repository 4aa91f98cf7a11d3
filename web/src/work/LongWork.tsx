/** Long work of the workshop: computing again by a new core, backups, and what goes on behind the pages. The lead's. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { useAgain } from "../api/events";
import { Button, ErrorNote, Field, INPUT, Loading } from "../kit/bits";
import { ago } from "../kit/figures";
import { inside, placeName, VERDICT } from "../kit/words";
import { isOver, type Work } from "./outcome";
import { WorkLine } from "./WorkLine";

const WORKS = ["works"];
const STATE: Record<Work["state"], string> = {
  waiting: "Waiting",
  running: "Under way",
  done: "Done",
  stopped: "Stopped",
  failed: "Failed",
};

/** How often the list asks while something is under way, and else (ms). */
const BUSY_MS = 1500;
const IDLE_MS = 15_000;

function useWorks() {
  const idle = useAgain(IDLE_MS);
  return useQuery({
    queryKey: WORKS,
    queryFn: () => got(api.GET("/api/works")),
    refetchInterval: (q) => (q.state.data?.works.some((w) => !isOver(w)) ? BUSY_MS : idle),
  });
}

export function LongWork({ shop }: { shop: Schemas["Workshop"] }) {
  const works = useWorks();
  const client = useQueryClient();
  const told = () => void client.invalidateQueries({ queryKey: WORKS });
  if (!works.data) return works.error ? <ErrorNote error={works.error} /> : <Loading what="the long work" />;
  const { works: rows, workers, measured } = works.data;
  const open = rows.filter((w) => w.decide);
  return (
    <div className="grid gap-5">
      {workers ? null : (
        <p className="border-l-[5px] border-watch bg-well px-3 py-2" role="note">
          <b>No worker runs.</b> Whatever is asked for waits until one does: ./kestov start, or ./kestov start --role
          worker on another machine.
        </p>
      )}
      {open.map((w) => (
        <Decide key={w.id} work={w} measured={measured} told={told} first={w === open[0]} />
      ))}
      <Ask shop={shop} measured={measured} told={told} first={!open.length} />
      <section className="sheet grid gap-2">
        <h2>What goes on, and what was done</h2>
        {rows.length ? (
          <ul className="rows">
            {rows.map((w) => (
              <Row key={w.id} work={w} told={told} />
            ))}
          </ul>
        ) : (
          <p>Nothing yet. Records from instruments, backups and what is computed again are told here.</p>
        )}
      </section>
    </div>
  );
}

function Row({ work, told }: { work: Work; told: () => void }) {
  const again = useMutation({
    mutationFn: () => got(api.POST("/api/works/{work_id}/again", { params: { path: { work_id: work.id } } })),
    onSuccess: told,
  });
  const repeats = work.kind !== "record" && (work.state === "failed" || work.state === "stopped");
  return (
    <li className="grid gap-1 py-2">
      <div className="flex flex-wrap items-baseline justify-between gap-x-4">
        <span>
          <b>{work.words}</b> <span className="text-[15px] text-ink2">{STATE[work.state].toLowerCase()}</span>
        </span>
        <span className="text-[15px] text-ink2">
          {work.by}, <time title={new Date(work.at).toLocaleString()}>{ago(work.at)}</time>
        </span>
      </div>
      {work.said ? <p className={work.state === "failed" ? "font-semibold" : ""}>{work.said}</p> : null}
      <WorkLine work={work} onTold={told} />
      {repeats ? (
        <div>
          <Button className="min-h-11" disabled={again.isPending} onClick={() => again.mutate()}>
            {work.done ? "Go on with it" : "Do it again"}
          </Button>
          <ErrorNote error={again.error} />
        </div>
      ) : null}
    </li>
  );
}

type AskProps = { shop: Schemas["Workshop"]; measured: Schemas["Measured"][]; told: () => void; first: boolean };

function Ask({ shop, measured, told, first }: AskProps) {
  const [printer, setPrinter] = useState("");
  const [procedure, setProcedure] = useState("");
  const [every, setEvery] = useState(false);
  const compute = useMutation({
    mutationFn: () =>
      got(
        api.POST("/api/works/recompute", { body: { printer_id: printer ? Number(printer) : null, procedure, every } }),
      ),
    onSuccess: told,
  });
  const backup = useMutation({ mutationFn: () => got(api.POST("/api/works/backup")), onSuccess: told });
  const standings = useMutation({ mutationFn: () => got(api.POST("/api/works/standings")), onSuccess: told });
  return (
    <section className="sheet grid gap-4">
      <h2>Compute again what was measured</h2>
      <p className="max-w-[42em]">
        A newer Kestov may judge an old recording otherwise. It computes beside what stands, shows which verdicts would
        change, and changes nothing until you let it.
      </p>
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          compute.mutate();
        }}
      >
        <Field label="Which machine">
          {(id) => (
            <select id={id} className={INPUT} value={printer} onChange={(e) => setPrinter(e.target.value)}>
              <option value="">All machines</option>
              {shop.printers.map((p) => (
                <option key={p.id} value={p.id}>
                  {p.name}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Which measurement">
          {(id) => (
            <select id={id} className={INPUT} value={procedure} onChange={(e) => setProcedure(e.target.value)}>
              <option value="">All measurements</option>
              {measured.map((p) => (
                <option key={p.name} value={p.name}>
                  {p.words}
                </option>
              ))}
            </select>
          )}
        </Field>
        <label className="flex min-h-12 items-center gap-2">
          <input
            type="checkbox"
            className="h-5 w-5 accent-[var(--ink)]"
            checked={every}
            onChange={(e) => setEvery(e.target.checked)}
          />
          Also what this version has computed
        </label>
        <Button next={first} type="submit" disabled={compute.isPending}>
          Compute, and show what changes
        </Button>
      </form>
      <ErrorNote error={compute.error} />
      <h2>Keep it whole</h2>
      <div className="flex flex-wrap gap-3">
        <Button disabled={backup.isPending} onClick={() => backup.mutate()}>
          Write a backup now
        </Button>
        <Button disabled={standings.isPending} onClick={() => standings.mutate()}>
          Make all standings anew
        </Button>
      </div>
      <p className="text-[15px] text-ink2">
        A backup is written by a worker that was given a folder for it. Standings are kept up to date by themselves;
        anew from all captures they take a moment, and must come out the same.
      </p>
      <ErrorNote error={backup.error ?? standings.error} />
    </section>
  );
}

/** What a new core would change waits for the lead. */
function Decide({ work, measured, told, first }: Omit<AskProps, "shop"> & { work: Work }) {
  const changes = useQuery({
    queryKey: ["changes", work.id],
    queryFn: () => got(api.GET("/api/works/{work_id}/changes", { params: { path: { work_id: work.id } } })),
  });
  const path = { params: { path: { work_id: work.id } } };
  const accept = useMutation({
    mutationFn: () => got(api.POST("/api/works/{work_id}/accept", path)),
    onSuccess: told,
  });
  const leave = useMutation({ mutationFn: () => got(api.POST("/api/works/{work_id}/leave", path)), onSuccess: told });
  const busy = accept.isPending || leave.isPending;
  const c = changes.data;
  return (
    <section className="sheet grid gap-3" aria-labelledby={`decide-${work.id}`}>
      <h2 id={`decide-${work.id}`}>To be decided: {inside(work.words)}</h2>
      {c ? (
        <>
          <p className="text-[21px] font-semibold">
            {c.changed
              ? `${c.changed === 1 ? "One verdict" : `${c.changed} verdicts`} of ${c.captures} would change.`
              : `No verdict of ${c.captures} changes; figures may, within their uncertainty.`}
          </p>
          {c.refused ? <p>{c.refused} are not taken by this version, and stay as they are.</p> : null}
        </>
      ) : (
        <ErrorNote error={changes.error} />
      )}
      <ErrorNote error={accept.error ?? leave.error} />
      <div className="flex flex-wrap gap-3">
        <Button next={first} disabled={busy || !c} onClick={() => accept.mutate()}>
          Let it stand
        </Button>
        <Button disabled={busy} onClick={() => leave.mutate()}>
          Leave all as it was
        </Button>
      </div>
      {c?.listed.length ? <ChangesTable c={c} measured={measured} /> : null}
    </section>
  );
}

function ChangesTable({ c, measured }: { c: Schemas["Changes"]; measured: Schemas["Measured"][] }) {
  return (
    <div>
      <table className="w-full border-collapse text-[16px]">
        <thead>
          <tr className="text-left">
            {["Machine", "Place", "Measurement", "Taken", "Stands", "Would be"].map((h) => (
              <th key={h} scope="col" className="border-b border-line py-1.5 pr-3 font-semibold">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {c.listed.map((x) => (
            <tr key={x.capture_id} className="border-b border-hair">
              <td className="py-1.5 pr-3">
                <Link to={`/machines/${x.printer_id}`}>{x.printer}</Link>
              </td>
              <td className="pr-3">{placeName(x.place)}</td>
              <td className="pr-3">{measured.find((m) => m.name === x.procedure)?.words}</td>
              <td className="pr-3">
                <time title={new Date(x.at).toLocaleString()}>{ago(x.at)}</time>
              </td>
              <td className="pr-3">{VERDICT[x.was as keyof typeof VERDICT] ?? "nothing"}</td>
              <td className="font-semibold">{VERDICT[x.will_be as keyof typeof VERDICT]}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {c.changed > c.listed.length ? <p className="mt-2">And {c.changed - c.listed.length} more.</p> : null}
    </div>
  );
}
