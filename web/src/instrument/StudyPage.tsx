/** A comparison of people: run piece by piece, each in an order of their own, and read when all of it is there. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Advice, Figures } from "../bench/Answer";
import { Button, Choices, ErrorNote, Loading, useTitle } from "../kit/bits";
import { ago, sentence } from "../kit/figures";
import { ReadingsField, type Row } from "../kit/ReadingsField";
import { useDraft } from "../kit/useDraft";
import { KeptNote } from "../offline/KeptNote";
import { useWaiting, useWrite } from "../offline/useEntries";
import { useMe } from "../session/me";
import { Dots } from "./Dots";

type Study = Schemas["StudyHere"];

/** What the comparison says of the band that was told. */
const BAND: Partial<Record<Schemas["GaugeStudyResult"]["verdict"], string>> = {
  in_tolerance: "Good enough for this band",
  watch: "Good enough for this band, with little to spare",
  out_of_tolerance: "Too coarse for this band",
  cannot_tell: "Whether it is good enough is not known yet",
};

const key = (id: number) => ["study", id];

export function StudyPage() {
  const id = Number(useParams().id);
  const study = useQuery({
    queryKey: key(id),
    queryFn: () => got(api.GET("/api/studies/{study_id}", { params: { path: { study_id: id } } })),
  });
  useTitle(study.data ? `${study.data.instrument}: ${study.data.what}` : null);
  if (!study.data) return study.error ? <ErrorNote error={study.error} /> : <Loading what="the comparison" />;
  const s = study.data;
  return (
    <div className="mx-auto grid max-w-6xl gap-4">
      <header>
        <h1>
          {s.instrument}: {s.what}
        </h1>
        <p className="text-ink2">
          {s.people.map((p) => p.name).join(", ")}, each {s.times} times on{" "}
          {s.pieces.length === 1 ? "one piece" : `${s.pieces.length} pieces`}
          {s.tolerance != null ? `, for a band of ${s.tolerance} ${s.unit}` : ""}. Set up by {s.by} {ago(s.at)}.
        </p>
      </header>
      {s.found ? <Read s={s} found={s.found} /> : <Run s={s} />}
      <p className="flex flex-wrap gap-x-5">
        <Link to={`/instruments/${s.instrument_id}`}>Back to {s.instrument}</Link>
        <a href={`/api/studies/${s.id}/readings.csv`}>All readings as CSV</a>
      </p>
    </div>
  );
}

function Run({ s }: { s: Study }) {
  const me = useMe();
  const open = s.people.filter((p) => p.left.length);
  const mine = open.find((p) => p.id === me.id) ?? open[0];
  const [chosen, setChosen] = useState<number | null>(null);
  const person = open.find((p) => p.id === chosen) ?? mine;
  return (
    <div className="grid items-start gap-5 lg:grid-cols-[minmax(0,1fr)_320px]">
      <section className="sheet grid gap-4">
        {open.length > 1 ? (
          <Choices
            label="Who measures now?"
            options={open.map((p) => ({ value: String(p.id), label: p.name }))}
            value={String(person?.id ?? "")}
            onChange={(v) => setChosen(Number(v))}
          />
        ) : null}
        {person ? <Hand key={person.id} s={s} person={person} /> : null}
      </section>
      <section className="sheet grid gap-3">
        <h2>So that it tells</h2>
        <p>The order is shuffled, and what was read before is out of sight: nobody should read from memory.</p>
        <p>
          Take the piece down and up again for each reading, as you would at the machine. Do not look at each other.
        </p>
        <ul className="rows" aria-label="How far each is">
          {s.people.map((p) => (
            <li key={p.id} className="flex justify-between py-1.5">
              <span>{p.name}</span>
              <span className="font-mono">
                {s.pieces.length * s.times - p.left.length} / {s.pieces.length * s.times}
              </span>
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
}

const middle = (values: number[]): number | undefined => [...values].sort((a, b) => a - b)[values.length >> 1];

function Hand({ s, person }: { s: Study; person: Study["people"][number] }) {
  const client = useQueryClient();
  const about = `/comparisons/${s.id}`;
  const mark = `readings ${person.id}`;
  const waits = useWaiting(about).find((e) => e.mark === mark);
  const [rows, setRows, clear] = useDraft<Row[]>(`study-${s.id}-${person.id}`, []);
  const typed = rows.slice(0, person.left.length);
  const next = person.left[typed.length];
  const keep = useWrite<Study>(
    () => ({
      words: `${s.instrument}: ${typed.length} readings by ${person.name}`,
      about,
      mark,
      writes: [
        {
          path: `/api/studies/${s.id}/readings`,
          body: {
            person: person.id,
            readings: typed.map((r, i) => ({ position: person.left[i]!.position, value: Number(r.reading) })),
          } satisfies Schemas["ReadingsIn"],
        },
      ],
    }),
    (after) => {
      clear();
      client.setQueryData(key(s.id), after);
      client.invalidateQueries({ queryKey: ["instrument", s.instrument_id] });
    },
    clear,
  );
  if (waits)
    return <KeptNote id={waits.id}>the comparison goes on then. Another person can measure meanwhile</KeptNote>;
  const expect = next && middle(s.readings.filter((r) => r.piece === next.piece).map((r) => r.value));
  const column = { name: "reading", label: "Reading", unit: s.unit, expect };
  return (
    <>
      {next ? (
        <p className="text-[19px]" aria-live="polite">
          {person.name} measures piece <b className="figure block">{s.pieces[next.piece]}</b>
        </p>
      ) : (
        <p className="text-[19px] font-semibold">All of {person.name}'s readings are typed.</p>
      )}
      <ReadingsField
        columns={[{ ...column, min: -1e6, max: 1e6, varies: expect === undefined }]}
        rows={typed}
        onChange={setRows}
        most={person.left.length}
        steady={false}
        blind
      />
      <ErrorNote error={keep.error} />
      <Button
        next={!next}
        className="justify-self-start"
        disabled={!typed.length || keep.isPending}
        onClick={() => keep.mutate(undefined)}
      >
        {next ? `Keep these ${typed.length}, go on later` : `Keep ${person.name}'s readings`}
      </Button>
    </>
  );
}

function Read({ s, found }: { s: Study; found: NonNullable<Study["found"]> }) {
  const client = useQueryClient();
  const after = (study: Study) => {
    client.setQueryData(key(s.id), study);
    client.invalidateQueries({ queryKey: ["instrument", s.instrument_id] });
    client.invalidateQueries({ queryKey: ["page"] });
  };
  const about = `/comparisons/${s.id}`;
  const count = useWrite<Study>(
    () => ({
      words: `${s.instrument}: the comparison counts`,
      about,
      writes: [{ path: `/api/studies/${s.id}/count` }],
    }),
    after,
  );
  return (
    <div className="grid items-start gap-5 lg:grid-cols-[minmax(0,440px)_minmax(0,1fr)]">
      <section className="sheet grid gap-3" aria-live="polite">
        {BAND[found.verdict] ? <h2 className="!text-[22px] !text-ink">{BAND[found.verdict]}</h2> : null}
        <Figures judged={found.judged?.slice(0, 1) ?? []} first />
        <Advice found={found} />
        {s.counts_since ? (
          <p className="border-l-4 border-ink bg-well px-3 py-2">
            <b>It counts.</b> Since {ago(s.counts_since)} measurements with {s.instrument} reckon with it: each of these
            people with their own figure, everybody else with the one above.
          </p>
        ) : (
          <div>
            <Button next disabled={count.isPending || count.kept !== null} onClick={() => count.mutate(undefined)}>
              Let it count
            </Button>
            <p className="mt-1 text-[15px] text-ink2">
              Measurements with {s.instrument} then reckon with what came out, in each of these hands.
            </p>
          </div>
        )}
        {count.kept ? <KeptNote id={count.kept}>it counts from then on</KeptNote> : null}
        <ErrorNote error={count.error} />
        <details className="border-y border-hair py-1">
          <summary className="min-h-11 cursor-pointer py-2 font-semibold">What it is made of</summary>
          <Figures judged={found.judged?.slice(1) ?? []} />
          <p className="text-[15px] text-ink2">
            Two readings of one piece by the same hand differ by no more than{" "}
            {Number(found.repeatability_limit.toPrecision(2))} {s.unit} in 95 of 100 cases, by two hands by no more than{" "}
            {Number(found.reproducibility_limit.toPrecision(2))} {s.unit} (ISO 5725).
            {found.categories != null ? ` It sorts such pieces into ${Math.max(1, found.categories)} sizes.` : ""}
          </p>
        </details>
      </section>
      <section className="sheet grid gap-4">
        <Dots s={s} found={found} />
        <People s={s} found={found} />
        <All s={s} after={after} />
      </section>
    </div>
  );
}

function People({ s, found }: { s: Study; found: NonNullable<Study["found"]> }) {
  const me = useMe();
  return (
    <table className="w-full border-collapse text-left">
      <caption className="sr-only">Each person's readings</caption>
      <thead className="text-[15px] text-ink2">
        <tr>
          <th scope="col">Who</th>
          <th scope="col">Reads more by</th>
          <th scope="col">Good to ±</th>
        </tr>
      </thead>
      <tbody>
        {found.people.map((p) => (
          <tr key={p.person} className="border-t border-hair">
            <th scope="row" className="py-2 font-semibold">
              {p.person}
            </th>
            <td className="font-mono">{sentence(p.bias, me)}</td>
            <td className="font-mono">
              {p.reading_u95.toPrecision(2)} {s.unit}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** All readings by person and piece, each of which may be taken again where it was a slip. */
function All({ s, after }: { s: Study; after: (study: Study) => void }) {
  const again = useWrite<Study, number>(
    (reading) => ({
      words: `${s.instrument}: a reading is taken again`,
      about: `/comparisons/${s.id}`,
      writes: [{ path: `/api/studies/${s.id}/readings/${reading}/again` }],
    }),
    after,
  );
  return (
    <details className="border-t border-hair pt-1">
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">All readings; take a slip again</summary>
      <ErrorNote error={again.error} />
      <table className="w-full border-collapse text-left text-[15px]">
        <thead className="text-ink2">
          <tr>
            <th scope="col">Piece</th>
            {s.people.map((p) => (
              <th key={p.id} scope="col">
                {p.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {s.pieces.map((name, piece) => (
            <tr key={name} className="border-t border-hair">
              <th scope="row">{name}</th>
              {s.people.map((p) => (
                <td key={p.id}>
                  {s.readings
                    .filter((r) => r.person === p.id && r.piece === piece)
                    .map((r) => (
                      <button
                        key={r.id}
                        type="button"
                        className="mr-3 min-h-11 font-mono underline decoration-dotted"
                        title="Take it again"
                        aria-label={`Take again: ${p.name}, piece ${name}, ${r.value}`}
                        disabled={again.isPending}
                        onClick={() => again.mutate(r.id)}
                      >
                        {r.value}
                      </button>
                    ))}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
