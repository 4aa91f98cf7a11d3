/** All cases, open first; searchable, so that the last time it buzzed is found. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Field, INPUT, Loading, TextField, useTitle } from "../kit/bits";
import { ago } from "../kit/figures";
import { ToldSheet } from "../openly/ToldSheet";
import { atLeast, useMe } from "../session/me";

export const STATE: Record<Schemas["CaseBrief"]["state"], string> = {
  reported: "Reported, nobody on it",
  in_work: "In work",
  not_verified: "Mended, not verified",
  closed: "Closed",
};

export function CaseList() {
  const me = useMe();
  const [state, setState] = useState<"open" | "closed" | "all">("open");
  const [search, setSearch] = useState("");
  const cases = useQuery({
    queryKey: ["cases", state, search],
    queryFn: () => got(api.GET("/api/cases", { params: { query: { state, search } } })),
    placeholderData: (before) => before,
  });
  useTitle("Cases");
  return (
    <>
      {atLeast(me, "technician") ? <ToldSheet /> : null}
      <section className="sheet mx-auto grid max-w-4xl gap-3">
        <h1>{atLeast(me, "technician") ? "Cases" : "What you have reported"}</h1>
        <div className="flex flex-wrap items-end gap-4">
          <div className="min-w-64 flex-1">
            <TextField label="Search" type="search" value={search} onText={setSearch} />
          </div>
          <Field label="Show">
            {(id) => (
              <select
                id={id}
                className={INPUT}
                value={state}
                onChange={(e) => setState(e.target.value as typeof state)}
              >
                <option value="open">open cases</option>
                <option value="closed">closed cases</option>
                <option value="all">all</option>
              </select>
            )}
          </Field>
        </div>
        {cases.isPending ? <Loading what="the cases" /> : null}
        <ErrorNote error={cases.error} />
        {cases.data?.length === 0 ? (
          <p>
            No case{search ? " with these words" : state === "open" ? " is open" : ""}. A fault is reported from its
            machine on the floor.
          </p>
        ) : null}
        <ul className="rows">
          {cases.data?.map((c) => (
            <li key={c.id}>
              <Link
                to={`/cases/${c.id}`}
                className="flex min-h-14 flex-wrap items-center justify-between gap-x-4 py-2 no-underline hover:underline"
              >
                <span>
                  <b>{c.printer}</b>: {c.title}
                </span>
                <span className="text-[15px] text-ink2">
                  {c.state === "closed" ? c.closing : STATE[c.state]}. {c.reported_by}, {ago(c.reported_at)}
                </span>
              </Link>
            </li>
          ))}
        </ul>
      </section>
    </>
  );
}
