/** One instrument: may it be believed, what its checks found, and how good a reading with it is in whose hands. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Figures } from "../bench/Answer";
import { Button, ErrorNote, Field, fieldError, INPUT, Loading, TextField, useTitle } from "../kit/bits";
import { ago, parseFigure, sentence } from "../kit/figures";
import { useDraft } from "../kit/useDraft";
import { VERDICT } from "../kit/words";
import { KeptNote } from "../offline/KeptNote";
import { useWrite } from "../offline/useEntries";
import { atLeast, useMe } from "../session/me";
import { CheckForm } from "./CheckForm";
import { Facts } from "./Facts";

type Here = Schemas["InstrumentHere"];

export const instrumentKey = (id: number) => ["instrument", id];

export function InstrumentPage() {
  const me = useMe();
  const id = Number(useParams().id);
  const here = useQuery({
    queryKey: instrumentKey(id),
    queryFn: () => got(api.GET("/api/instruments/{instrument_id}", { params: { path: { instrument_id: id } } })),
  });
  useTitle(here.data?.name);
  if (!here.data) return here.error ? <ErrorNote error={here.error} /> : <Loading what="the instrument" />;
  const i = here.data;
  return (
    <div className="mx-auto grid max-w-6xl gap-4">
      <header>
        <h1>{i.name}</h1>
        <p className="text-ink2">{facts(i)}</p>
        {i.doubt ? <p className="mt-1 font-semibold text-off">{i.doubt}</p> : null}
        {atLeast(me, "lead") ? <Facts key={i.name} i={i} /> : null}
      </header>
      <div className="grid items-start gap-5 lg:grid-cols-2">
        <Checks i={i} />
        <Hands i={i} />
      </div>
      <Link to="/workshop">All instruments stand with the workshop</Link>
    </div>
  );
}

function facts(i: Here): string {
  const reads = i.resolution != null ? `reads to ${i.resolution} ${i.unit}` : "its smallest step is not told";
  const stated = i.u95 != null ? `said to be good to ± ${i.u95} ${i.unit}` : "what it is good to is not told";
  return `${i.kind}, ${reads}, ${stated}`;
}

function Checks({ i }: { i: Here }) {
  const me = useMe();
  return (
    <section className="sheet grid gap-4">
      <h2>Against something known</h2>
      <p>
        {i.checked_on
          ? `Last checked ${i.checked_on}${i.checked_against ? ` against ${i.checked_against}` : ""}${i.check_due ? `; next by ${i.check_due}` : ""}.`
          : "Never checked. An error of its own goes into every figure that it gives, and no repeat shows it."}
      </p>
      {i.checks[0] ? (
        <div className="border-l-4 border-line pl-3">
          <p className="font-semibold">{VERDICT[i.checks[0].found.verdict]}</p>
          <Figures judged={i.checks[0].found.judged ?? []} />
          {i.checks[0].found.advice?.map((a) => (
            <p key={a.action}>
              <b>{a.action}.</b> {a.reason}
            </p>
          ))}
          {i.checks[0].found.warnings?.map((w) => (
            <p key={w.code}>
              <b>Note.</b> {w.message}
            </p>
          ))}
        </div>
      ) : null}
      {i.checks.length > 1 ? (
        <ol className="rows" aria-label="Earlier checks">
          {i.checks.slice(1).map((c) => (
            <li key={c.id} className="py-2">
              <b className="font-mono">{sentence(c.found.error, me)}</b> too much, against {c.against}{" "}
              <span className="text-[15px] text-ink2" title={c.at}>
                {ago(c.at)}, {c.by}
              </span>
            </li>
          ))}
        </ol>
      ) : null}
      <CheckForm i={i} />
    </section>
  );
}

function Hands({ i }: { i: Here }) {
  return (
    <section className="sheet grid gap-4">
      <h2>How good are we with it?</h2>
      {i.in_hands != null ? (
        <p>
          A reading in your hands is good to{" "}
          <b className="font-mono">
            ± {Number(i.in_hands.toPrecision(2))} {i.unit}
          </b>
          , as compared. That is what your measurements with it reckon with.
        </p>
      ) : (
        <p>
          Not known. Let two or more of you measure the same few pieces several times: it tells how much of a reading's
          spread is the hand's, and how much lies between people.
        </p>
      )}
      {i.studies.length ? (
        <ol className="rows" aria-label="Comparisons">
          {i.studies.map((s) => (
            <li key={s.id} className="py-2">
              <Link to={`/comparisons/${s.id}`} className="font-semibold">
                {s.what}
              </Link>{" "}
              <span className="text-[15px] text-ink2">
                {s.people.join(", ")}; {s.pieces} {s.pieces === 1 ? "piece" : "pieces"}, {ago(s.at)}.{" "}
                {s.taken < s.wanted
                  ? `${s.taken} of ${s.wanted} readings are there.`
                  : s.counts
                    ? "It counts."
                    : "Read, and does not count yet."}
              </span>
            </li>
          ))}
        </ol>
      ) : null}
      <SetUp i={i} />
    </section>
  );
}

type Draft = { what: string; people: number[]; pieces: string; times: string; tolerance: string };

function SetUp({ i }: { i: Here }) {
  const me = useMe();
  const go = useNavigate();
  const client = useQueryClient();
  const blank: Draft = { what: "", people: [me.id], pieces: "1, 2, 3, 4, 5", times: "3", tolerance: "" };
  const [form, setForm, clear] = useDraft(`comparison-${i.id}`, blank);
  const pieces = form.pieces
    .split(/[,\n;]/)
    .map((p) => p.trim())
    .filter(Boolean);
  const begin = useWrite<Schemas["StudyHere"]>(
    () => ({
      words: `${i.name}: a comparison of ${form.people.length} people`,
      about: `/instruments/${i.id}`,
      writes: [
        {
          path: `/api/instruments/${i.id}/studies`,
          body: {
            what: form.what.trim(),
            people: form.people,
            pieces,
            times: Math.round(parseFigure(form.times) ?? 0),
            tolerance: parseFigure(form.tolerance),
          } satisfies Schemas["StudyIn"],
        },
      ],
    }),
    (made) => {
      clear();
      client.invalidateQueries({ queryKey: instrumentKey(i.id) });
      go(`/comparisons/${made.id}`);
    },
  );
  const all = pieces.length * form.people.length * Math.round(parseFigure(form.times) ?? 0);
  return (
    <details className="border-t border-hair pt-2" open={!i.studies.length}>
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">Begin a comparison</summary>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          begin.mutate(undefined);
        }}
      >
        <TextField
          label="What is measured"
          hint="Printed blocks, across the flats; one block at its middle."
          error={fieldError(begin.error, "what")}
          value={form.what}
          maxLength={120}
          required
          onText={(what) => setForm({ ...form, what })}
        />
        <TextField
          label="The pieces, by what is written on each"
          hint="Five that differ as your parts do are good; one alone tells the hands, and nothing of what they hold."
          error={fieldError(begin.error, "pieces")}
          value={form.pieces}
          required
          onText={(typed) => setForm({ ...form, pieces: typed })}
        />
        <fieldset>
          <legend className="mb-1 text-[15px] font-semibold">Who measures</legend>
          <div className="flex flex-wrap gap-x-5">
            {i.hands.map((p) => (
              <label key={p.id} className="inline-flex min-h-11 items-center gap-2">
                <input
                  type="checkbox"
                  className="h-5 w-5"
                  checked={form.people.includes(p.id)}
                  onChange={(e) =>
                    setForm({
                      ...form,
                      people: e.target.checked ? [...form.people, p.id] : form.people.filter((x) => x !== p.id),
                    })
                  }
                />
                {p.name}
              </label>
            ))}
          </div>
          {fieldError(begin.error, "people") ? (
            <p role="alert" className="text-[15px] font-semibold text-failed">
              {fieldError(begin.error, "people")}
            </p>
          ) : null}
        </fieldset>
        <div className="grid gap-3 sm:grid-cols-2">
          <Field label="How often each measures each" error={fieldError(begin.error, "times")}>
            {(id, note) => (
              <select
                id={id}
                aria-describedby={note}
                className={INPUT}
                value={form.times}
                onChange={(e) => setForm({ ...form, times: e.target.value })}
              >
                {["2", "3", "4", "5", "6", "8", "10"].map((n) => (
                  <option key={n}>{n}</option>
                ))}
              </select>
            )}
          </Field>
          <TextField
            label={`Narrowest band it judges, ${i.unit} (may be left out)`}
            figure
            error={fieldError(begin.error, "tolerance")}
            value={form.tolerance}
            onText={(tolerance) => setForm({ ...form, tolerance })}
          />
        </div>
        {begin.kept ? <KeptNote id={begin.kept}>the comparison can be run when the network is back</KeptNote> : null}
        {begin.error && !["what", "pieces", "people", "times", "tolerance"].some((f) => fieldError(begin.error, f)) ? (
          <ErrorNote error={begin.error} />
        ) : null}
        <div className="flex flex-wrap items-center gap-3">
          <Button type="submit" next={!i.studies.length} disabled={begin.isPending || begin.kept !== null}>
            Begin
          </Button>
          <span className="text-ink2">{all ? `${all} readings, about ${Math.ceil(all / 4)} minutes.` : ""}</span>
        </div>
      </form>
    </details>
  );
}
