/** One case: what has been seen at the left, the next thing to do in the middle, what it may be at the right. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { useAgain } from "../api/events";
import { beltsPath } from "../bench/paths";
import { Rounds } from "../bench/Rounds";
import { Button, Caution, ErrorNote, Loading, useKey, useTitle } from "../kit/bits";
import { Sketch } from "../kit/Sketch";
import { InDoubt } from "../machine/InDoubt";
import { beltConditions } from "../machine/Places";
import { KeptNote } from "../offline/KeptNote";
import { useWrite } from "../offline/useEntries";
import { OwnChoice } from "../practice/Own";
import { CheckStep, OtherChecks, RepairStep } from "./CheckStep";
import { Close } from "./Close";
import { Log } from "./Log";
import { Pairs } from "./Pairs";
import { Seen } from "./Seen";
import { Weighing, type WhatIf } from "./Weighing";
import { aboutCase } from "./writing";

type Case = Schemas["CaseOut"];

export function CasePage() {
  const id = Number(useParams().id);
  const client = useQueryClient();
  const [whatIf, setWhatIf] = useState<WhatIf>(null);
  const query = useQuery({
    queryKey: ["case", id],
    queryFn: () => got(api.GET("/api/cases/{case_id}", { params: { path: { case_id: id } } })),
    // Two people on one case see each other's entries.
    refetchInterval: useAgain(4000),
  });
  useTitle(query.data && `${query.data.printer}: ${query.data.title}`);
  if (query.isPending) return <Loading what="the case" />;
  if (!query.data) return <ErrorNote error={query.error} />;
  const c = query.data;
  const changed = (next: Case) => {
    client.setQueryData(["case", id], next);
    for (const key of [["floor"], ["cases"], ["practice"], ["printer", next.printer_id], ["record", next.printer_id]])
      client.invalidateQueries({ queryKey: key });
  };
  return (
    <div
      className={`grid items-start gap-5 ${c.may_work ? (c.unaided ? "lg:grid-cols-[310px_minmax(0,1fr)]" : "lg:grid-cols-[310px_minmax(0,1fr)_340px]") : "mx-auto max-w-2xl"}`}
    >
      <Seen c={c} changed={changed} />
      {c.may_work ? (
        <div className="grid gap-5">
          <Next
            key={`${c.step.kind}${c.step.check}${c.step.fault}${c.step.place}`}
            c={c}
            changed={changed}
            onWhatIf={setWhatIf}
          />
          <Pairs c={c} changed={changed} />
          <Log c={c} changed={changed} />
        </div>
      ) : (
        <>
          <Pairs c={c} changed={changed} />
          <Log c={c} changed={changed} />
        </>
      )}
      {c.may_work && !c.unaided ? <Weighing c={c} whatIf={whatIf} /> : null}
    </div>
  );
}

function Next({ c, changed, onWhatIf }: { c: Case; changed: (c: Case) => void; onWhatIf: (w: WhatIf) => void }) {
  const [picked, setPicked] = useState<Schemas["NextCheck"] | null>(null);
  const go = useNavigate();
  const printer = useQuery({
    queryKey: ["printer", c.printer_id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: c.printer_id } } })),
  });
  const take = useWrite<Case>(() => aboutCase(c, "take", `Took the case “${c.title}” in hand`), changed);
  const reopen = useMutation({
    mutationFn: () => got(api.POST("/api/cases/{case_id}/reopen", { params: { path: { case_id: c.id } } })),
    onSuccess: changed,
  });
  const [closing, setClosing] = useState(false);
  const checks = [...(c.weighing?.result.next ?? []), ...(c.weighing?.result.others ?? [])];
  // The check that is advised, or the one that somebody chose to do instead.
  const check =
    picked ??
    (c.step.kind === "check"
      ? (checks.find((n) => n.check === c.step.check && n.axis === c.step.place) ?? null)
      : null);
  const s: Case["step"] = picked
    ? {
        ...c.step,
        kind: "check",
        title: picked.label,
        why: picked.gate ?? picked.why,
        why_now: picked.gate ? "" : (picked.why_now ?? ""),
        beside: "",
        minutes: Math.round(picked.minutes),
        place: picked.axis,
        caution: picked.caution,
        how: picked.how,
        note: picked.note ?? "",
        warranty: "",
        tools: picked.tools,
      }
    : c.step;
  const bench = s.place ? beltsPath(c.printer_id, s.place, `?case=${c.id}`) : `/bench/${c.printer_id}?case=${c.id}`;
  const act: { words: string; run: () => void } | null =
    s.kind === "take"
      ? { words: "Take it", run: () => take.mutate() }
      : s.kind === "close"
        ? { words: "Close it", run: () => setClosing(true) }
        : s.kind === "pluck" || s.kind === "set" || s.kind === "verify"
          ? { words: s.kind === "set" ? "See what to turn" : "Start", run: () => go(bench) }
          : null;
  useKey("Enter", closing ? null : (act?.run ?? null));
  return (
    <section className="sheet grid gap-4" aria-labelledby="next">
      <h2>Next</h2>
      <div>
        <h1 id="next" className="!text-[32px]">
          {s.title}
        </h1>
        {s.why_now ? <p className="mt-2 max-w-[38em] text-[19px]">{s.why_now}</p> : null}
        <p className={s.why_now ? "mt-1 max-w-[42em] text-ink2" : "mt-2 max-w-[38em] text-[19px]"}>{s.why}</p>
        {s.beside ? <p className="mt-2 max-w-[42em] border-l-[5px] border-line pl-3">{s.beside}</p> : null}
      </div>
      {s.warranty ? <Caution>{s.warranty}</Caution> : null}
      {s.kind === "done" || s.kind === "danger" ? (
        <How s={s} />
      ) : (
        <div className={s.how?.length ? "grid items-start gap-4 sm:grid-cols-[190px_1fr]" : "grid"}>
          {printer.data ? (
            <Sketch
              description={printer.data.description}
              conditions={beltConditions(printer.data.condition)}
              lit={s.place}
              note={s.title}
              className={s.how?.length ? "w-full" : "mx-auto w-full max-w-[300px]"}
            />
          ) : null}
          <How s={s} />
        </div>
      )}
      {s.caution ? <Caution>{s.caution}</Caution> : null}
      <ErrorNote error={take.error ?? reopen.error} />
      {take.kept ? <KeptNote id={take.kept}>the case is yours when the network is back</KeptNote> : null}
      {closing ? <Close c={c} changed={changed} leave={() => setClosing(false)} /> : null}
      {check && !closing ? (
        <CheckStep
          key={`${check.check}${check.axis}`}
          c={c}
          next={check}
          changed={changed}
          onWhatIf={onWhatIf}
          done={() => setPicked(null)}
        />
      ) : null}
      {s.kind === "repair" && !closing ? <RepairStep c={c} changed={changed} /> : null}
      {closing ? null : (
        <div className="flex flex-wrap items-center gap-3">
          {act ? (
            <Button next keyHint="Enter" onClick={act.run} disabled={take.isPending}>
              {act.words}
            </Button>
          ) : null}
          {s.minutes > 1 && act ? <span className="text-ink2">about {s.minutes} minutes</span> : null}
          {c.state === "closed" ? (
            <Button onClick={() => reopen.mutate()}>Open it again</Button>
          ) : (c.state !== "reported" || s.kind === "danger") && s.kind !== "close" ? (
            <>
              <Button onClick={() => setClosing(true)}>Close</Button>
              {s.kind === "danger" ? null : (
                <Button onClick={() => go(`/bench/${c.printer_id}?case=${c.id}`)}>Bench</Button>
              )}
            </>
          ) : null}
          {picked ? <Button onClick={() => setPicked(null)}>Back to the advice</Button> : null}
        </div>
      )}
      {c.state === "in_work" && !closing ? <OtherChecks c={c} onPick={setPicked} /> : null}
      {c.state === "in_work" && !closing ? <OwnChoice c={c} changed={changed} /> : null}
      {c.state === "closed" ? <InDoubt id={c.printer_id} className="border-t border-hair pt-3" /> : null}
      <Proof c={c} />
    </section>
  );
}

/** The steps of a check or remedy, with the state of the machine and what to have at hand. */
function How({ s }: { s: Case["step"] }) {
  if (!s.how?.length) return null;
  return (
    <div className="grid gap-2">
      <ol className="grid gap-1.5">
        {s.how.map((line, i) => (
          <li key={line} className="flex gap-3">
            <b className="font-mono">{i + 1}</b> {line}
          </li>
        ))}
      </ol>
      {s.note ? (
        <p className="border-l-[5px] border-line pl-3">
          <b>Here:</b> {s.note}
        </p>
      ) : null}
      <p className="text-[16px] text-ink2">
        {s.minutes > 1 ? `${s.minutes} minutes. ` : ""}
        {s.state ? `Machine ${s.state}. ` : ""}
        {s.tools?.length ? `Have at hand: ${s.tools.join(", ")}.` : ""}
      </p>
    </div>
  );
}

/** Rounds of the belts in this case, side by side: before and after. */
function Proof({ c }: { c: Case }) {
  const printer = useQuery({
    queryKey: ["bench", c.printer_id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/bench", { params: { path: { printer_id: c.printer_id } } })),
  });
  const measured = c.log.some((l) => l.kind === "measured");
  if (!measured || !printer.data) return null;
  const sets = printer.data.belts.filter((b) => !b.partner || b.place < b.partner);
  return (
    <div className="grid gap-3">
      {sets.map((b) => (
        <Rounds key={b.place} printerId={c.printer_id} place={b.place} caseId={c.id} belts={printer.data.belts} />
      ))}
    </div>
  );
}
