/** What the workshop knows, to be read and changed: every fault with what it shows, how to tell it and what to do; every check. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useLocation, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Loading, TextField, useTitle } from "../kit/bits";
import { capital } from "../kit/words";
import { DoubtsSheet } from "./Doubts";
import { type Changed, ChangedRows, useChanged } from "./Mend";
import { CheckSheet, FaultSheet } from "./Sheets";

type Fault = Schemas["FaultRead"];
type Check = Schemas["CheckRead"];
/** A fault or a check in the list: where it is read, and all that is told on its page. */
type Entry = { id: string; to: string; label: string; group: string; told: string; rank: (has: Has) => number };
type Has = (words: string) => boolean;

const faultEntry = (f: Fault): Entry => {
  const shown = [...f.must, ...f.often, ...f.may];
  const words = [f.label, f.group, ...shown.map((s) => s.label), ...f.steps, ...f.begins_after];
  return {
    id: f.id,
    to: `/knowledge/${f.id}`,
    label: f.label,
    group: f.group,
    told: [...words, ...f.told_by.map((c) => c.label), f.note].join(" ").toLowerCase(),
    rank: (has) => Math.max(0, ...shown.filter((s) => has(s.label)).map((s) => s.percent)),
  };
};

const checkEntry = (c: Check): Entry => ({
  id: c.id,
  to: `/knowledge/check/${c.id}`,
  label: c.label,
  group: "checks",
  told: [c.label, ...c.how, ...c.looks_at.map((a) => a.label), ...c.tools, c.note].join(" ").toLowerCase(),
  // A check that looks for it comes after the faults that often show it.
  rank: (has) => (c.looks_at.some((a) => has(a.label)) ? 30 : 0),
});

export function KnowledgePage() {
  const { fault: faultId, check: checkId } = useParams();
  const path = useLocation().pathname;
  const changes = path === "/knowledge/changed";
  const doubts = path === "/knowledge/doubts";
  const [typed, setTyped] = useState("");
  const faults = useQuery({
    queryKey: ["knowledge", "faults"],
    queryFn: () => got(api.GET("/api/knowledge/faults")),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const checks = useQuery({
    queryKey: ["knowledge", "checks"],
    queryFn: () => got(api.GET("/api/knowledge/checks")),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const changed = useChanged();
  const fault = faults.data?.find((f) => f.id === faultId);
  const check = checks.data?.find((c) => c.id === checkId);
  useTitle(
    fault?.label ??
      check?.label ??
      (changes ? "What was changed here" : doubts ? "What puts what in doubt" : "What is known"),
  );
  if (!faults.data || !checks.data)
    return faults.error || checks.error ? (
      <ErrorNote error={faults.error ?? checks.error} />
    ) : (
      <Loading what="what is known" />
    );
  const rows = changed.data ?? [];
  const of = (kind: Changed["kind"], name: string) => rows.filter((c) => c.kind === kind && c.name === name);
  const letters = typed.trim().toLowerCase().split(/\s+/).filter(Boolean);
  return (
    <div className="mx-auto grid max-w-6xl items-start gap-4 lg:grid-cols-[340px_1fr]">
      <section
        className="sheet grid gap-3 lg:sticky lg:top-4 lg:max-h-[96vh] lg:overflow-y-auto"
        aria-labelledby="known"
      >
        <h1 id="known" className="!text-[23px]">
          What is known
        </h1>
        <TextField
          label="Find"
          hint={`${faults.data.length} faults, ${checks.data.length} checks: by name, by what they show, by what to do.`}
          autoComplete="off"
          value={typed}
          onText={setTyped}
        />
        <Link
          to="/knowledge/doubts"
          aria-current={doubts ? "page" : undefined}
          className="flex min-h-11 items-center px-2 aria-[current]:bg-well aria-[current]:font-semibold"
        >
          What puts what in doubt
        </Link>
        {rows.length ? (
          <Link
            to="/knowledge/changed"
            aria-current={changes ? "page" : undefined}
            className="flex min-h-11 items-center px-2 aria-[current]:bg-well aria-[current]:font-semibold"
          >
            Changed in this workshop: {rows.length}
          </Link>
        ) : null}
        <Names
          entries={[...faults.data.map(faultEntry), ...checks.data.map(checkEntry)]}
          letters={letters}
          chosen={fault || check ? (faultId ?? checkId) : undefined}
          changed={
            new Set(rows.map((c) => (c.kind === "fault" ? `/knowledge/${c.name}` : `/knowledge/check/${c.name}`)))
          }
        />
      </section>
      {doubts ? (
        <DoubtsSheet />
      ) : changes ? (
        <ChangedSheet rows={rows} />
      ) : fault ? (
        <FaultSheet key={fault.id} f={fault} changed={of("fault", fault.id)} />
      ) : check ? (
        <CheckSheet key={check.id} c={check} changed={of("check", check.id)} />
      ) : (
        <Start missing={faultId ? "fault" : checkId ? "check" : null} />
      )}
    </div>
  );
}

type NamesProps = { entries: Entry[]; letters: string[]; chosen: string | undefined; changed: Set<string> };

/** What is called so stands first, then what shows it most, then what only mentions it; by groups while nothing is typed. */
function Names({ entries, letters, chosen, changed }: NamesProps) {
  const has: Has = (words) => letters.every((l) => words.toLowerCase().includes(l));
  const rank = (e: Entry) => (has(e.label) ? 1000 : e.rank(has));
  const hits = entries.filter((e) => letters.every((l) => e.told.includes(l)));
  const rows = letters.length ? [...hits].sort((a, b) => rank(b) - rank(a)) : hits;
  const groups = letters.length ? [""] : [...new Set(rows.map((e) => e.group))];
  return (
    <nav aria-label="Faults and checks">
      {rows.length ? null : <p>Nothing that is known says that.</p>}
      {groups.map((group) => (
        <div key={group} className="mb-3">
          {group ? <h2>{capital(group)}</h2> : null}
          <ul>
            {rows
              .filter((e) => !group || e.group === group)
              .map((e) => (
                <li key={e.to}>
                  <Link
                    to={e.to}
                    aria-current={e.id === chosen ? "page" : undefined}
                    className="flex min-h-11 items-center gap-2 px-2 no-underline hover:bg-well aria-[current]:bg-well aria-[current]:font-semibold"
                  >
                    <span className="flex-1">
                      {e.label}
                      {letters.length && e.group === "checks" ? <span className="text-ink2"> (check)</span> : null}
                    </span>
                    {changed.has(e.to) ? <span className="text-[15px] text-ink2">changed</span> : null}
                  </Link>
                </li>
              ))}
          </ul>
        </div>
      ))}
    </nav>
  );
}

function Start({ missing }: { missing: "fault" | "check" | null }) {
  return (
    <section className="sheet grid gap-2">
      <h2>{missing ? `There is no such ${missing}` : "Choose a fault or a check, or type what you see"}</h2>
      <p className="max-w-[42em]">
        Each fault has what it must show and what it may, what tells it from others, what to do with the caution it
        needs, and what to measure again. Figures are typical values set down by hand; what the workshop confirms when
        it closes a case counts on top of them. The lead can change words, minutes and rates for this workshop.
      </p>
    </section>
  );
}

/** All that is otherwise here than it came. */
function ChangedSheet({ rows }: { rows: Changed[] }) {
  return (
    <article className="sheet grid gap-3" aria-labelledby="changed">
      <h1 id="changed" className="!text-[30px]">
        Changed in this workshop
      </h1>
      {rows.length ? (
        <ChangedRows rows={rows} named />
      ) : (
        <p>Nothing: all that is known here is as it came. A fault or a check is changed on its own page.</p>
      )}
    </article>
  );
}
