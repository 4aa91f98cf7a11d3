/** Closing a case: what it was, how it ended. What the knowledge calls the cause feeds this model's base rates. */
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, Field, fieldError, INPUT, TextField } from "../kit/bits";
import { useKnowledge } from "./knowledge";

type Case = Schemas["CaseOut"];

const WORDS: [Schemas["Close"]["closing"], string][] = [
  ["verified", "Mended and verified"],
  ["not_verified", "Mended, not verified: stays open"],
  ["harmless", "Harmless, left"],
  ["handed_on", "Handed on"],
  ["warranty", "Warranty"],
  ["retired", "Retired"],
];

export function Close({ c, changed, leave }: { c: Case; changed: (c: Case) => void; leave: () => void }) {
  const [closing, setClosing] = useState<Schemas["Close"]["closing"]>("verified");
  const bars = c.weighing?.result.hypotheses.filter((h) => h.fault !== "other") ?? [];
  const [fault, setFault] = useState(c.fault);
  const [cause, setCause] = useState(c.cause);
  const known = useKnowledge();
  const close = useMutation({
    mutationFn: () =>
      got(
        api.POST("/api/cases/{case_id}/close", {
          params: { path: { case_id: c.id } },
          body: { closing, cause, fault, axis: bars.find((h) => h.fault === fault)?.axis ?? "" },
        }),
      ),
    onSuccess: (next) => {
      changed(next);
      leave();
    },
  });
  return (
    <form
      className="grid gap-3 border-t border-hair pt-4"
      onSubmit={(e) => {
        e.preventDefault();
        close.mutate();
      }}
    >
      <TextField
        label="What was it?"
        error={fieldError(close.error, "cause")}
        hint="In a few words: the next one will be found faster."
        value={cause}
        maxLength={160}
        onText={setCause}
      />
      <Field label="As the list calls it" hint="It teaches the weighing what happens to this model.">
        {(id, note) => (
          <select
            id={id}
            aria-describedby={note}
            className={INPUT}
            value={fault}
            onChange={(e) => setFault(e.target.value)}
          >
            <option value="">Not on the list, or not sure</option>
            {known.data?.faults.map((f) => (
              <option key={f.id} value={f.id}>
                {f.label}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="How did it end?" error={fieldError(close.error, "closing")}>
        {(id, note) => (
          <select
            id={id}
            aria-describedby={note}
            className={INPUT}
            value={closing}
            onChange={(e) => setClosing(e.target.value as typeof closing)}
          >
            {WORDS.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        )}
      </Field>
      {fieldError(close.error, "cause") || fieldError(close.error, "closing") ? null : (
        <ErrorNote error={close.error} />
      )}
      <div className="flex gap-3">
        <Button next type="submit" disabled={close.isPending}>
          {closing === "not_verified" ? "Keep it so" : "Close the case"}
        </Button>
        <Button onClick={leave}>Back</Button>
      </div>
    </form>
  );
}
