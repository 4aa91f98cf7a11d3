/** On a practice machine a check is done here: what is met is told, for who looks to judge; a repair changes the machine. */
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote } from "../kit/bits";
import { type Run, useDoing, useRun } from "./practice";

type Met = Schemas["MetOut"];

/** Look, listen, feel: nothing in the workshop, where one does it with one's own hands. */
export function LookHere({ check, place, measured }: { check: string; place: string; measured: boolean }) {
  const run = useRun();
  return run ? <Look run={run} check={check} place={place} measured={measured} /> : null;
}

function Look({ run, check, place, measured }: { run: Run; check: string; place: string; measured: boolean }) {
  const [met, setMet] = useState<Met[] | null>(null);
  const go = useNavigate();
  const look = useDoing(
    () =>
      got(
        api.POST("/api/practice/runs/{run_id}/look", { params: { path: { run_id: run.id } }, body: { check, place } }),
      ),
    (done) => (done.run.how ? go(`/lessons/${done.run.id}`) : setMet(done.met)),
  );
  return (
    <section aria-label="On the practice machine" className="grid gap-3 rounded-[3px] bg-well p-3">
      <div className="flex flex-wrap items-center gap-3">
        <Button next={met === null} disabled={look.isPending} onClick={() => look.mutate(undefined)}>
          {met === null ? "Do it on the machine" : "Do it once more"}
        </Button>
        {check === "listen" ? <Listen run={run} axis={place || "x"} /> : null}
      </div>
      <ErrorNote error={look.error} />
      {met ? (
        <Sensed
          met={met}
          none={
            measured
              ? "By hand and eye there is nothing to tell here: measure it at the bench."
              : "There is nothing to be met here."
          }
        />
      ) : null}
    </section>
  );
}

/** What eye, ear and hand were told. */
function Sensed({ met, none }: { met: Met[]; none: string }) {
  if (!met.length) return <p role="status">{none}</p>;
  return (
    <div role="status">
      <ul className="grid gap-1.5 text-[18px]">
        {met.map((m) => (
          <li key={`${m.place} ${m.words}`}>{m.words}</li>
        ))}
      </ul>
    </div>
  );
}

function Listen({ run, axis }: { run: Run; axis: string }) {
  return (
    <>
      {/* biome-ignore lint/a11y/useMediaCaption: the sound of a machine has no words */}
      <audio
        controls
        preload="none"
        aria-label={`What ${axis.toUpperCase()} sounds like`}
        src={`/api/practice/runs/${run.id}/sound/${axis}`}
      />
    </>
  );
}

/** A question, put to who brought the part. */
export function AskThem({ finding, places }: { finding: string; places: string[] }) {
  const run = useRun();
  return run ? <Ask run={run} finding={finding} places={places} /> : null;
}

function Ask({ run, finding, places }: { run: Run; finding: string; places: string[] }) {
  const [met, setMet] = useState<Met[] | null>(null);
  const ask = useDoing(
    () =>
      got(
        api.POST("/api/practice/runs/{run_id}/ask", {
          params: { path: { run_id: run.id } },
          body: { finding, places },
        }),
      ),
    (done) => setMet(done.met),
  );
  return (
    <div className="mt-1 grid gap-1.5">
      {met ? (
        <Sensed met={met} none="They cannot say." />
      ) : (
        <Button
          className="min-h-11 justify-self-start !px-3 text-[16px]"
          disabled={ask.isPending}
          onClick={() => ask.mutate(undefined)}
        >
          Ask and look at the print
        </Button>
      )}
      <ErrorNote error={ask.error} />
    </div>
  );
}

/** A repair: done on the practice machine before one says whether it helped. */
export function MendHere({ fault, place }: { fault: string; place: string }) {
  const run = useRun();
  return run ? <Mend run={run} fault={fault} place={place} /> : null;
}

function Mend({ run, fault, place }: { run: Run; fault: string; place: string }) {
  const [done, setDone] = useState(false);
  const go = useNavigate();
  const mend = useDoing(
    () =>
      got(
        api.POST("/api/practice/runs/{run_id}/mend", { params: { path: { run_id: run.id } }, body: { fault, place } }),
      ),
    (d) => (d.run.how ? go(`/lessons/${d.run.id}`) : setDone(true)),
  );
  return (
    <section aria-label="On the practice machine" className="grid gap-2 rounded-[3px] bg-well p-3">
      <Button
        next={!done}
        className="justify-self-start"
        disabled={mend.isPending || done}
        onClick={() => mend.mutate(undefined)}
      >
        {done ? "Done" : "Do it on the machine"}
      </Button>
      {done ? (
        <p role="status">It is done. Print the part again and look at it, or measure, before you say that it helped.</p>
      ) : null}
      <ErrorNote error={mend.error} />
    </section>
  );
}
