/** Who may do what without a second person: the lead gives it, with the practice record before them. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, Field, fieldError, INPUT, Loading, TextField, useTitle } from "../kit/bits";
import { onDay } from "../kit/figures";
import { RecordLines } from "./Record";

type All = Schemas["AloneAll"];
type Person = Schemas["AlonePerson"];

const KEY = ["alone"];

export function AlonePage() {
  useTitle("Who may do what alone");
  const client = useQueryClient();
  const all = useQuery({ queryKey: KEY, queryFn: () => got(api.GET("/api/alone")) });
  const took = (next: All) => client.setQueryData(KEY, next);
  const asks = useMutation({
    mutationFn: (on: boolean) => got(api.PUT("/api/alone/asks", { body: { asks: on } })),
    onSuccess: took,
  });
  const brought = useBrought();
  if (!all.data) return all.error ? <ErrorNote error={all.error} /> : <Loading what="who may do what" />;
  const { people, things } = all.data;
  const first = people.find((p) => p.username === brought?.username) ?? people.find((p) => !p.lead);
  return (
    <div className="mx-auto grid max-w-4xl gap-5">
      <section className="sheet grid gap-3">
        <h1>Who may do what alone</h1>
        <p className="max-w-[44em]">
          What a technician may not do alone yet, the bench asks a second person for: a lead, or somebody who may.
          Decide it with their practice record before you: <Link to="/practice">in practice</Link>, under “Who
          practises”, it leads back to here.
        </p>
        <label className="flex min-h-11 items-center gap-3">
          <input
            type="checkbox"
            className="h-5 w-5 accent-[var(--ink)]"
            checked={asks.isPending ? asks.variables : all.data.asks}
            disabled={asks.isPending}
            onChange={(e) => asks.mutate(e.target.checked)}
          />
          The bench asks for a second person
        </label>
        <ErrorNote error={asks.error} />
      </section>
      {first ? (
        <OnePerson key={first.id} people={people} first={first} things={things} brought={brought} took={took} />
      ) : (
        <p className="sheet">There is no technician yet.</p>
      )}
    </div>
  );
}

/** A record that practice has sent along, behind the address's #; taken out of the address once it is read. */
function useBrought(): Schemas["Stated"] | null {
  const [brought] = useState(() => {
    const [username, statement] = location.hash.slice(1).split("&", 2);
    return username && statement ? { username: decodeURIComponent(username), statement } : null;
  });
  useEffect(() => {
    if (brought) history.replaceState(history.state, "", location.pathname);
  }, [brought]);
  return brought;
}

type OneProps = {
  people: Person[];
  first: Person;
  things: Schemas["AloneThing"][];
  brought: Schemas["Stated"] | null;
  took: (next: All) => void;
};

function OnePerson({ people, first, things, brought, took }: OneProps) {
  const [id, setId] = useState(first.id);
  const [thing, setThing] = useState("");
  const [why, setWhy] = useState("");
  const person = people.find((p) => p.id === id) ?? first;
  const statement = brought && brought.username === person.username ? brought.statement : "";
  const record = useQuery({
    queryKey: ["alone-record", person.id, statement],
    queryFn: () =>
      got(
        api.POST("/api/alone/people/{user_id}/record", {
          params: { path: { user_id: person.id } },
          body: { statement },
        }),
      ),
    enabled: statement !== "",
    staleTime: Number.POSITIVE_INFINITY,
  });
  const give = useMutation({
    mutationFn: () => {
      const [kind, name] = thing.split(" ") as ["procedure" | "repair", string];
      const body = { kind, name, why, statement };
      return got(api.POST("/api/alone/people/{user_id}", { params: { path: { user_id: person.id } }, body }));
    },
    onSuccess: (next) => {
      took(next);
      setThing("");
      setWhy("");
    },
  });
  const back = useMutation({
    mutationFn: (alone: number) => got(api.DELETE("/api/alone/{alone_id}", { params: { path: { alone_id: alone } } })),
    onSuccess: took,
  });
  const open = things.filter((t) => !person.may.some((m) => m.kind === t.kind && m.name === t.name));
  return (
    <section className="sheet grid gap-4">
      <Field label="Technician">
        {(field) => (
          <select
            id={field}
            className={`${INPUT} max-w-md`}
            value={person.id}
            onChange={(e) => setId(Number(e.target.value))}
          >
            {people.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
                {p.lead ? ", lead: may do all" : ""}
              </option>
            ))}
          </select>
        )}
      </Field>
      <div>
        <h2>Practice record</h2>
        {record.data ? <RecordLines rows={record.data} /> : null}
        <ErrorNote error={record.error} />
        {statement ? null : <p className="text-ink2">None was brought along for {person.name}.</p>}
      </div>
      <div>
        <h2>May do alone</h2>
        <ul className="rows">
          {person.may.map((m) => (
            <li key={m.id} className="flex flex-wrap items-center gap-3 py-2">
              <span className="flex-1">
                <b>{m.label}</b>
                <span className="block text-[15px] text-ink2">
                  {m.by}, {onDay(m.at)}
                  {m.record
                    ? `, with ${m.record} ${m.record === 1 ? "lesson" : "lessons"} before them`
                    : ", without a practice record"}
                  {m.why ? `: ${m.why}` : ""}
                </span>
              </span>
              <Button
                className="min-h-11 !px-3 text-[16px]"
                aria-label={`Take back: ${m.label}`}
                disabled={back.isPending}
                onClick={() => back.mutate(m.id)}
              >
                Take back
              </Button>
            </li>
          ))}
        </ul>
        {person.may.length ? null : <p className="text-ink2">Nothing yet.</p>}
        <ErrorNote error={back.error} />
      </div>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          if (thing) give.mutate();
        }}
      >
        <Field label="Give" error={fieldError(give.error, "name")}>
          {(field) => (
            <select id={field} className={`${INPUT} max-w-xl`} value={thing} onChange={(e) => setThing(e.target.value)}>
              <option value="">Choose a measurement or a repair</option>
              {open.map((t) => (
                <option key={`${t.kind} ${t.name}`} value={`${t.kind} ${t.name}`}>
                  {t.label}
                </option>
              ))}
            </select>
          )}
        </Field>
        <TextField label="Why" maxLength={300} value={why} onText={setWhy} />
        {fieldError(give.error, "name") ? null : <ErrorNote error={give.error} />}
        <Button next type="submit" className="justify-self-start" disabled={!thing || give.isPending}>
          {person.name} may do it alone
        </Button>
      </form>
    </section>
  );
}
