/** The way back to a machine of which everything is known: what is in doubt, in the order in which one thing builds on another. */
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Caution, ErrorNote, Loading, useTitle } from "../kit/bits";
import { counted } from "../kit/words";
import { useBaseline } from "./InDoubt";
import { stepPath } from "./steps";
import { beginSitting } from "./WayBar";

type Step = Schemas["PlanStep"];

export function BaselinePage() {
  const id = Number(useParams().id);
  const plan = useBaseline(id);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  useTitle(printer.data ? `Putting ${printer.data.name} right` : undefined);
  if (!plan.data || !printer.data)
    return plan.error || printer.error ? (
      <ErrorNote error={plan.error ?? printer.error} />
    ) : (
      <Loading what="what is in doubt" />
    );
  const { steps, minutes, instruments, by_hand } = plan.data;
  const [first, ...rest] = steps;
  return (
    <div className="mx-auto grid max-w-4xl gap-4">
      <section className="sheet grid gap-4">
        <div>
          <p className="text-ink2">
            <Link to={`/machines/${id}`}>{printer.data.name}</Link>
          </p>
          <h1 className="!text-[30px]">{first ? "The way back, in order" : "Nothing is in doubt"}</h1>
        </div>
        {first ? (
          <p className="max-w-[42em]">
            {counted(steps.length, "thing to do", "things to do")}, about{" "}
            <b className="font-mono">{Math.round(minutes)}</b> minutes.
            {instruments.length ? ` Take with you: ${instruments.join("; ")}.` : ""} Each builds on those before it;
            what is done leaves this list, so you can go away and come back.
          </p>
        ) : (
          <p className="max-w-[42em]">
            All that was measured and stored on this machine still holds. When something is turned, changed or moved,
            what that puts in doubt stands here by itself.
          </p>
        )}
        {by_hand?.length && first ? (
          <div className="grid gap-2">
            <h2>By hand, before anything moves</h2>
            {by_hand.map((line) => (
              <Caution key={line}>{line}</Caution>
            ))}
          </div>
        ) : null}
        {first ? <Next s={first} to={stepPath(id, first)} id={id} /> : null}
      </section>
      {rest.length ? (
        <section className="sheet" aria-labelledby="then">
          <h2 id="then">Then</h2>
          <ol className="rows">
            {rest.map((s, i) => (
              <li
                key={`${s.procedure}${s.place}${s.title}`}
                className="flex flex-wrap items-baseline gap-x-4 gap-y-1 py-3"
              >
                <b className="w-7 font-mono">{i + 2}</b>
                <span className="flex-1">
                  <Link to={stepPath(id, s)} className="text-[18px] font-semibold">
                    {s.title}
                  </Link>
                  <span className="block text-[15px] text-ink2">
                    {s.stage}. {s.why}
                    {s.values?.length ? ` Settles ${counted(s.values.length, "stored value", "stored values")}.` : ""}
                  </span>
                </span>
                <span className="text-ink2">{Math.round(s.minutes)} minutes</span>
              </li>
            ))}
          </ol>
        </section>
      ) : null}
    </div>
  );
}

/** The one thing to do now. */
function Next({ s, to, id }: { s: Step; to: string; id: number }) {
  return (
    <div className="grid gap-3 border-l-[5px] border-go bg-well p-4">
      <p className="text-[15px] text-ink2">1. {s.stage}</p>
      <h2 className="!text-[24px] !text-ink">{s.title}</h2>
      <p className="max-w-[42em]">{s.why}</p>
      {s.caution ? <Caution>{s.caution}</Caution> : null}
      <div className="flex flex-wrap items-center gap-3">
        <Link
          to={to}
          onClick={() => beginSitting(id)}
          className="inline-flex min-h-12 items-center rounded-[3px] bg-go px-6 text-[17px] font-semibold text-goink no-underline"
        >
          Begin, and go on from step to step
        </Link>
        <span className="text-ink2">about {Math.round(s.minutes)} minutes</span>
      </div>
    </div>
  );
}
