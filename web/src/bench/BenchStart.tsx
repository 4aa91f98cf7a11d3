/** Where a measurement begins: choose the machine, then what one wants to know, or what is at hand. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Choices, ErrorNote, Loading, useTitle } from "../kit/bits";
import { ago, sentence } from "../kit/figures";
import { Sketch } from "../kit/Sketch";
import { beltConditions } from "../machine/Places";
import { useMe } from "../session/me";
import { benchPath } from "./paths";

type Entry = Schemas["BenchEntry"];

export function useBench(id: number, caseId: number | null = null) {
  return useQuery({
    queryKey: caseId ? ["bench", id, caseId] : ["bench", id],
    queryFn: () =>
      got(
        api.GET("/api/printers/{printer_id}/bench", {
          params: { path: { printer_id: id }, query: caseId ? { case_id: caseId } : {} },
        }),
      ),
  });
}

export function BenchStart() {
  const floor = useQuery({ queryKey: ["floor"], queryFn: () => got(api.GET("/api/floor")) });
  useTitle("Bench");
  if (!floor.data) return floor.error ? <ErrorNote error={floor.error} /> : <Loading what="the machines" />;
  const models = new Map(floor.data.models.map((m) => [m.id, m]));
  const printers = floor.data.areas.flatMap((a) =>
    a.printers.map((t) => ({ ...t, room: a.name, model: models.get(t.model_id)! })),
  );
  return (
    <section className="mx-auto grid max-w-5xl gap-4">
      <h1>Which machine is on the bench?</h1>
      {printers.length === 0 ? <p>There is no machine on the floor yet.</p> : null}
      <ul className="grid gap-4 sm:grid-cols-2 lg:grid-cols-4">
        {printers.map((p) => (
          <li key={p.id}>
            <Link to={`/bench/${p.id}`} className="sheet block h-full no-underline hover:bg-well">
              <Sketch description={p.model.outline} plain className="mx-auto w-[130px]" />
              <b className="block text-[19px]">{p.name}</b>
              <span className="text-[15px] text-ink2">
                {p.model.name}, {p.room}
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}

export function BenchMachine() {
  const id = Number(useParams().id);
  const [params] = useSearchParams();
  const caseId = params.get("case") ? Number(params.get("case")) : null;
  const query = caseId ? `?case=${caseId}` : "";
  const [hand, setHand] = useState("");
  const bench = useBench(id, caseId);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  useTitle(bench.data && `${bench.data.printer}, bench`);
  if (!bench.data || !printer.data)
    return bench.error ? <ErrorNote error={bench.error} /> : <Loading what="the bench" />;
  const b = bench.data;
  const fitting = b.entries.filter((e) => !hand || e.instruments.includes(hand));
  const groups = [...new Set(fitting.map((e) => e.group))];
  const instruments = [...new Set(b.entries.flatMap((e) => e.instruments))];
  return (
    <div className="grid gap-5 lg:grid-cols-[300px_1fr]">
      <section className="sheet grid content-start gap-3 self-start">
        <h1>{b.printer}</h1>
        <Sketch description={printer.data.description} conditions={beltConditions(printer.data.condition)} />
        <Choices
          label="What is at hand?"
          options={["", ...instruments].map((i) => ({ value: i, label: i || "Anything" }))}
          value={hand}
          onChange={setHand}
        />
        <Link to={`/bench/${id}/parts`}>Test parts to print</Link>
        <Link to={`/machines/${id}`}>All about this machine</Link>
      </section>
      <section className="grid content-start gap-5">
        {hand ? null : <First bench={b} query={query} />}
        <div className="sheet">
          {groups.map((group) => (
            <Group
              key={group}
              group={group}
              entries={fitting.filter((e) => e.group === group)}
              bench={b}
              query={query}
              whole={hand !== ""}
            />
          ))}
        </div>
      </section>
    </div>
  );
}

/** What comes first on this machine, with why; each by its number, from the number block too. */
function First({ bench, query }: { bench: Schemas["BenchOut"]; query: string }) {
  const go = useNavigate();
  const to = (f: Schemas["FirstOut"]) => benchPath(bench.printer_id, f.procedure, f.place, query);
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const typing = e.target instanceof HTMLElement && /^(INPUT|SELECT|TEXTAREA)$/.test(e.target.tagName);
      const chosen = bench.first[Number(e.key) - 1];
      if (!typing && !e.ctrlKey && !e.metaKey && !e.altKey && /^[1-9]$/.test(e.key) && chosen) go(to(chosen));
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  });
  if (!bench.first.length) return null;
  return (
    <div className="sheet">
      <h2 className="!text-[19px] !text-ink">First, on this machine</h2>
      <ol className="rows">
        {bench.first.map((f, i) => (
          <li key={f.procedure + f.place}>
            <Link
              to={to(f)}
              className="grid min-h-12 grid-cols-[2.25rem_minmax(0,1fr)_auto] items-baseline gap-x-2 py-2 no-underline hover:bg-well"
            >
              <kbd className="font-mono text-[17px] text-ink2">{i + 1}</kbd>
              <span>
                <b className="text-[17px]">{f.question}</b>
                <span className="block text-[15px] text-ink2">{f.why}</span>
              </span>
              <span className="text-[15px] text-ink2">
                {f.short}, {f.minutes} min
              </span>
            </Link>
          </li>
        ))}
      </ol>
    </div>
  );
}

type GroupProps = { group: string; entries: Entry[]; bench: Schemas["BenchOut"]; query: string; whole: boolean };

/** What answers one question: what was used here stands open, what never was is folded. */
function Group({ group, entries, bench, query, whole }: GroupProps) {
  const used = (e: Entry) => bench.last.some((l) => l.procedure === e.procedure);
  const open = whole ? entries : entries.filter(used);
  const folded = entries.filter((e) => !open.includes(e));
  const lines = (some: Entry[]) => (
    <ul className="rows">
      {some.map((e) => (
        <EntryLine key={e.procedure} entry={e} bench={bench} query={query} />
      ))}
    </ul>
  );
  return (
    <div className="border-hair py-2 not-last:border-b first:pt-0 last:pb-0">
      <h2 className="!text-[19px] !text-ink">{group}</h2>
      {open.length ? lines(open) : null}
      {folded.length ? (
        <details>
          <summary className="min-h-11 cursor-pointer py-2">
            {folded.map((e) => e.short).join("; ")} <span className="text-[15px] text-ink2">never used here</span>
          </summary>
          {lines(folded)}
        </details>
      ) : null}
    </div>
  );
}

const LINK = "inline-flex min-h-12 items-center gap-2 rounded-[3px] border border-line px-4 no-underline hover:bg-well";

/** One way to measure: a link for each place, with its last figure and how old it is. */
function EntryLine({ entry, bench, query }: { entry: Entry; bench: Schemas["BenchOut"]; query: string }) {
  const me = useMe();
  return (
    <li className="grid gap-x-4 gap-y-2 py-3 sm:grid-cols-[215px_1fr]">
      <div>
        <b className="text-[17px]">{entry.short}</b>
        <p className="text-[15px] text-ink2">
          {entry.instruments.join(" or ")}, {entry.minutes} min
        </p>
      </div>
      <div className="flex flex-wrap gap-2">
        {entry.places.map(({ place, label, question }) => {
          const last = bench.last.find((l) => l.procedure === entry.procedure && l.place === place);
          return (
            <Link key={place} to={benchPath(bench.printer_id, entry.procedure, place, query)} className={LINK}>
              <span className="sr-only">{question}</span>
              <b>{label}</b>
              <span className="text-[15px] text-ink2">
                {last ? (
                  <>
                    {last.quantity ? (
                      <span className="font-mono text-ink">{sentence(last.quantity, me)}</span>
                    ) : (
                      "measured"
                    )}
                    , <time title={new Date(last.at).toLocaleString()}>{ago(last.at)}</time>
                  </>
                ) : (
                  "never"
                )}
              </span>
            </Link>
          );
        })}
      </div>
    </li>
  );
}
