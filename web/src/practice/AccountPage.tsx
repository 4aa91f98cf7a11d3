/** A lesson that has ended: what was true, the way that was gone beside the one that the weighing would have gone, and what to learn. */
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Loading, useTitle } from "../kit/bits";
import { PrintSeen } from "./PrintSeen";
import { took } from "./practice";

type Account = Schemas["PracticeAccount"];

export function AccountPage() {
  const id = Number(useParams().id);
  const run = useQuery({
    queryKey: ["practice-run", id],
    queryFn: () => got(api.GET("/api/practice/runs/{run_id}", { params: { path: { run_id: id } } })),
  });
  useTitle(run.data?.title);
  if (!run.data) return run.error ? <ErrorNote error={run.error} /> : <Loading what="the lesson" />;
  const r = run.data;
  const t = r.told;
  if (!t)
    return (
      <section className="sheet max-w-xl">
        <h1>{r.title}</h1>
        <p className="mt-2">
          This lesson goes on. <Link to={`/cases/${r.case_id}`}>To its case</Link>
        </p>
      </section>
    );
  return (
    <div className="grid gap-5">
      <section className="sheet grid gap-3">
        <p className="text-ink2">
          {r.title}, number {r.seed}
          {r.mine ? "" : `; ${r.person}`}
        </p>
        <h1 className="!text-[34px]">{headline(r.how, t)}</h1>
        <p className="text-[21px]">
          It was: <b>{t.truths.join("; and ")}</b>
        </p>
        {t.unsafe.map((w) => (
          <p key={w} className="border-l-[5px] border-failed bg-well px-3 py-2">
            <b>Not safe. </b>
            {w}
          </p>
        ))}
        {t.made.length ? <p>What repairs have brought about: {t.made.join("; ")}.</p> : null}
        {t.teaches ? <p className="max-w-[46em] border-l-[5px] border-line pl-3 text-[18px]">{t.teaches}</p> : null}
        <p>
          <Link to="/" className="font-bold">
            To the lessons
          </Link>
          {", "}
          <Link to={`/cases/${r.case_id}`}>its case as it was written</Link>
        </p>
      </section>
      <div className="grid items-start gap-5 lg:grid-cols-2">
        <Way title={r.mine ? "Your way" : "The way that was gone"} steps={t.way} minutes={t.minutes} cost={t.cost} />
        <Way
          title={t.advised.solved ? "The way of the advice" : "The advice does not get there either"}
          steps={t.advised.steps}
          minutes={t.advised_minutes}
          cost={t.advised_cost}
        />
      </div>
      <div className="grid items-start gap-5 lg:grid-cols-2">
        <section className="sheet grid gap-3">
          <h2>At hand, and not read</h2>
          <Lines rows={t.unread} none="All that was met was read." />
          <h2>Measured too soon</h2>
          <Lines rows={t.too_soon} none="Nothing was measured before what it rests on." />
        </section>
        <section className="sheet grid gap-3">
          <h2>Figures against the truth</h2>
          <Figures rows={t.figures} />
          <h2>The print at the end</h2>
          <PrintSeen p={r.looks} />
        </section>
      </div>
    </div>
  );
}

function headline(how: Schemas["PracticeRun"]["how"], t: Account): string {
  if (how === "unsafe") return "Stopped: that was not safe";
  if (t.right) return t.found ? "Put right, and named" : "Put right";
  return t.found ? "Named, but not put right" : "Not put right";
}

function Way(props: { title: string; steps: Schemas["WayStep"][]; minutes: number; cost: number }) {
  return (
    <section className="sheet grid gap-2">
      <h2>{props.title}</h2>
      <p className="font-mono text-[21px]">
        {took(props.minutes)}
        {props.cost ? `, parts ${props.cost.toFixed(0)}` : ""}
      </p>
      <ol className="rows">
        {props.steps.map((s, i) => (
          <li key={i} className="flex justify-between gap-4 py-1.5">
            <span>{s.words}</span>
            <span className="font-mono whitespace-nowrap text-ink2">
              {s.minutes.toFixed(s.minutes < 1 ? 1 : 0)} min{s.cost ? `, ${s.cost.toFixed(0)}` : ""}
            </span>
          </li>
        ))}
      </ol>
      {props.steps.length ? null : <p className="text-ink2">Nothing was done.</p>}
    </section>
  );
}

function Lines({ rows, none }: { rows: string[]; none: string }) {
  if (!rows.length) return <p className="text-ink2">{none}</p>;
  return (
    <ul className="rows">
      {rows.map((w) => (
        <li key={w} className="py-1.5">
          {w}
        </li>
      ))}
    </ul>
  );
}

function Figures({ rows }: { rows: Schemas["Held"][] }) {
  if (!rows.length) return <p className="text-ink2">Nothing was measured that has one true figure.</p>;
  return (
    <table className="w-full text-left">
      <thead>
        <tr className="text-[15px] text-ink2">
          <th>What</th>
          <th>Measured</th>
          <th>True</th>
          <th>Within ±</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((f, i) => (
          <tr key={i} className="border-t border-hair">
            <td className="py-1.5">{f.words}</td>
            <td className="font-mono">
              {f.measured.value.toPrecision(3)} ± {(f.measured.u95 ?? 0).toPrecision(2)} {f.measured.unit}
            </td>
            <td className="font-mono">{f.true.toPrecision(3)}</td>
            <td>{f.within ? "yes" : "no"}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
