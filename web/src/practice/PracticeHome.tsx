/** What there is to practise, in a sensible order; a machine drawn by chance; and what one has done so far. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, Field, fieldError, INPUT, Loading, TextField, useTitle } from "../kit/bits";
import { besideAt } from "./beside";
import { stands, usePractice } from "./practice";
import { Record } from "./Record";

type Lesson = Schemas["PracticeLesson"];
type Begin = Schemas["PracticeBegin"];

export function PracticeHome() {
  useTitle("Practice");
  const practice = usePractice();
  const client = useQueryClient();
  const go = useNavigate();
  const [unaided, setUnaided] = useState(false);
  const begin = useMutation({
    mutationFn: (body: Begin) => got(api.POST("/api/practice/runs", { body })),
    onSuccess: (run) => {
      stands(client, run);
      go(`/cases/${run.case_id}`);
    },
  });
  if (!practice.data) return practice.error ? <ErrorNote error={practice.error} /> : <Loading what="the lessons" />;
  const { lessons, record, now, people } = practice.data;
  const next = lessons.find((l) => !l.right) ?? lessons[0];
  return (
    <div className="grid items-start gap-5 lg:grid-cols-[minmax(0,1fr)_400px]">
      <section className="sheet grid gap-4">
        <div>
          <h1>Lessons</h1>
          <p className="mt-1 max-w-[44em] text-[18px]">
            A machine that ails, and the same pages, bench and case as in the workshop. Look, listen, measure, mend,
            print it again: time passes by the minutes that things take. Wrong repairs make it worse, and what is not
            safe ends the lesson.
          </p>
        </div>
        <label className="flex min-h-11 items-center gap-3">
          <input
            type="checkbox"
            className="h-5 w-5 accent-[var(--ink)]"
            checked={unaided}
            onChange={(e) => setUnaided(e.target.checked)}
          />
          <span>
            Without the advice <span className="text-ink2">(no bars, no next step: what you find is your own)</span>
          </span>
        </label>
        {now ? (
          <p>
            You are in the middle of{" "}
            <Link to={`/cases/${now.case_id}`} className="font-bold">
              {now.title}
            </Link>
            .
          </p>
        ) : null}
        <p role="status" className={begin.isPending ? "" : "sr-only"}>
          {begin.isPending ? "The machine is being put on the table …" : ""}
        </p>
        <ErrorNote error={fieldError(begin.error, "seed") ? null : begin.error} />
        <ol className="rows">
          {lessons.map((l) => (
            <LessonRow
              key={l.id}
              l={l}
              next={!now && l === next}
              busy={begin.isPending || now !== null}
              begin={() => begin.mutate({ lesson: l.id, kinematics: "", two: false, unaided })}
            />
          ))}
        </ol>
      </section>
      <div className="grid gap-5">
        <ByChance
          machines={practice.data.machines}
          busy={begin.isPending || now !== null}
          error={begin.error}
          begin={(b) => begin.mutate({ ...b, unaided })}
        />
        <section className="sheet grid gap-2">
          <h2>What you have done</h2>
          <Record rows={record} />
        </section>
        {people.length ? <People people={people} /> : null}
      </div>
    </div>
  );
}

function LessonRow({ l, next, busy, begin }: { l: Lesson; next: boolean; busy: boolean; begin: () => void }) {
  return (
    <li className="flex flex-wrap items-center gap-3 py-2.5">
      <b className="w-7 font-mono">{l.step}</b>
      <div className="min-w-60 flex-1">
        <b className="text-[19px]">{l.title}</b>
        <p className="text-ink2">
          {l.why} {l.minutes.toFixed(0)} minutes, {l.machine}.
        </p>
      </div>
      <span className="text-[15px] text-ink2">
        {l.right ? "Put right" : l.done ? `Tried ${l.done} ${l.done === 1 ? "time" : "times"}` : ""}
      </span>
      <Button next={next} disabled={busy} aria-label={`Begin: ${l.title}`} onClick={begin}>
        {l.done ? "Again" : "Begin"}
      </Button>
    </li>
  );
}

function ByChance(props: {
  machines: Schemas["PracticeOut"]["machines"];
  busy: boolean;
  error: unknown;
  begin: (b: Begin) => void;
}) {
  const kinds = Object.entries(props.machines);
  const [kind, setKind] = useState(kinds[0]?.[0] ?? "");
  const [two, setTwo] = useState(false);
  const [seed, setSeed] = useState("");
  return (
    <form
      className="sheet grid gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        props.begin({
          lesson: "",
          kinematics: kind,
          two,
          unaided: false,
          ...(seed.trim() ? { seed: Number(seed) } : {}),
        });
      }}
    >
      <h2>Any machine, any fault</h2>
      <Field label="Machine">
        {(id) => (
          <select id={id} className={INPUT} value={kind} onChange={(e) => setKind(e.target.value)}>
            {kinds.map(([value, name]) => (
              <option key={value} value={value}>
                {name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <label className="flex min-h-11 items-center gap-3">
        <input
          type="checkbox"
          className="h-5 w-5 accent-[var(--ink)]"
          checked={two}
          onChange={(e) => setTwo(e.target.checked)}
        />
        Two faults at once
      </label>
      <TextField
        label="Number"
        hint="The same number is the same machine for everybody; empty: any."
        figure
        maxLength={5}
        value={seed}
        onText={setSeed}
        error={fieldError(props.error, "seed")}
      />
      <Button type="submit" disabled={props.busy} className="justify-self-start">
        Begin
      </Button>
    </form>
  );
}

function People({ people }: { people: Schemas["Practises"][] }) {
  const [open, setOpen] = useState<number | null>(null);
  const record = useQuery({
    queryKey: ["practice-record", open],
    queryFn: () => got(api.GET("/api/practice/people/{user_id}", { params: { path: { user_id: open ?? 0 } } })),
    enabled: open !== null,
  });
  const session = useQuery({ queryKey: ["session"], queryFn: () => got(api.GET("/api/session")) });
  const there = session.data ? besideAt(session.data.beside) : null;
  const decide = useMutation({
    mutationFn: (id: number) =>
      got(api.GET("/api/practice/people/{user_id}/statement", { params: { path: { user_id: id } } })),
    // Behind the #, where no log sees it: the workshop reads it, and believes it by its signature.
    onSuccess: (s) => there && location.assign(`${there}/alone#${encodeURIComponent(s.username)}&${s.statement}`),
  });
  return (
    <section className="sheet grid gap-2">
      <h2>Who practises</h2>
      <ul className="rows">
        {people.map((p) => (
          <li key={p.id} className="py-1.5">
            <Button
              className="min-h-11 !px-3"
              aria-expanded={open === p.id}
              onClick={() => setOpen(open === p.id ? null : p.id)}
            >
              {p.name}: {p.lessons} {p.lessons === 1 ? "lesson" : "lessons"}
            </Button>
            {open === p.id && record.data ? (
              <>
                <Record rows={record.data} />
                <Button className="min-h-11 !px-3" disabled={decide.isPending} onClick={() => decide.mutate(p.id)}>
                  Decide what {p.name} may do alone
                </Button>
              </>
            ) : null}
          </li>
        ))}
      </ul>
      <ErrorNote error={record.error ?? decide.error} />
    </section>
  );
}
