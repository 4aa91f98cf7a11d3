/** In a lesson: ask anything, mend anything, whatever the advice says; and say whether it helped. */
import { useState } from "react";
import type { Schemas } from "../api/client";
import { useFindings, useKnowledge } from "../case/knowledge";
import { aboutCase } from "../case/writing";
import { Button, ErrorNote, Field, INPUT } from "../kit/bits";
import { placeName } from "../kit/words";
import { useWrite } from "../offline/useEntries";
import { AskThem, MendHere } from "./DoIt";
import { useRun } from "./practice";

type Case = Schemas["CaseOut"];

export function OwnChoice({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const run = useRun();
  if (!run || run.case_id !== c.id) return null;
  return (
    <>
      <details open={run.unaided || undefined}>
        <summary className="min-h-11 cursor-pointer py-2 font-semibold">
          {run.unaided ? "Ask about something" : "Ask about something else"}
        </summary>
        <AskAny />
      </details>
      <details open={run.unaided || undefined}>
        <summary className="min-h-11 cursor-pointer py-2 font-semibold">
          {run.unaided ? "Mend something" : "Mend something else"}
        </summary>
        <MendAny c={c} changed={changed} />
      </details>
    </>
  );
}

function AskAny() {
  const findings = useFindings();
  const [finding, setFinding] = useState("");
  const asked = (findings.data ?? []).filter((f) => ["print", "sound", "machine", "circumstance"].includes(f.group));
  return (
    <div className="grid gap-2">
      <Field label="What is asked, or looked for on the print">
        {(id) => (
          <select id={id} className={INPUT} value={finding} onChange={(e) => setFinding(e.target.value)}>
            <option value="">Choose</option>
            {asked.map((f) => (
              <option key={f.id} value={f.id}>
                {f.label}
              </option>
            ))}
          </select>
        )}
      </Field>
      {finding ? <AskThem key={finding} finding={finding} places={[]} /> : null}
    </div>
  );
}

function MendAny({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const known = useKnowledge();
  const [fault, setFault] = useState("");
  const [place, setPlace] = useState("");
  const places = [...new Set(Object.values(c.spots).flat())].sort();
  const send = useWrite<Case, boolean>((helped) => {
    const label = known.data?.faults.find((f) => f.id === fault)?.label ?? fault;
    const body: Schemas["RepairIn"] = { fault, axis: place, helped, note: "" };
    return aboutCase(
      c,
      "repairs",
      `${label}: ${helped ? "done, it is gone" : "done, still there"}`,
      body,
      `repair ${fault} ${place}`,
    );
  }, changed);
  return (
    <div className="grid gap-3">
      <div className="grid gap-3 sm:grid-cols-[1fr_180px]">
        <Field label="What is mended">
          {(id) => (
            <select id={id} className={INPUT} value={fault} onChange={(e) => setFault(e.target.value)}>
              <option value="">Choose</option>
              {(known.data?.faults ?? []).map((f) => (
                <option key={f.id} value={f.id}>
                  {f.label}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Where">
          {(id) => (
            <select id={id} className={INPUT} value={place} onChange={(e) => setPlace(e.target.value)}>
              <option value="">The machine</option>
              {places.map((p) => (
                <option key={p} value={p}>
                  {placeName(p)}
                </option>
              ))}
            </select>
          )}
        </Field>
      </div>
      {fault ? (
        <>
          <MendHere key={`${fault} ${place}`} fault={fault} place={place} />
          <div className="flex flex-wrap gap-3">
            <Button disabled={send.isPending} onClick={() => send.mutate(true)}>
              The complaint is gone
            </Button>
            <Button disabled={send.isPending} onClick={() => send.mutate(false)}>
              It is still there
            </Button>
          </div>
        </>
      ) : null}
      <ErrorNote error={send.error ?? known.error} />
    </div>
  );
}
