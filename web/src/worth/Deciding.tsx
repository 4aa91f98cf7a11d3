/** The lead's decision of a machine, with why: keep it, give it up, or send it back under warranty. */
import { useState } from "react";
import { api, got } from "../api/client";
import { Button, Choices, ErrorNote, fieldError, LongField } from "../kit/bits";
import { type MachineTook, useWorthWrite } from "./worth";

type Decision = "keep" | "retire" | "warranty";
const WAYS: { value: Decision; label: string }[] = [
  { value: "keep", label: "Keep it" },
  { value: "retire", label: "Give it up" },
  { value: "warranty", label: "Back under warranty" },
];
const MEANS: Record<Decision, string> = {
  keep: "It stays. You are asked again when something new speaks against it.",
  retire: "It leaves the floor and its open cases are closed. Its record stays, and it can be taken back.",
  warranty: "It is tagged out, so that nobody opens it.",
};

export function Deciding({ m, leave }: { m: MachineTook; leave: () => void }) {
  const [way, setWay] = useState<Decision>("keep");
  const [why, setWhy] = useState("");
  const write = useWorthWrite(
    () => got(api.POST("/api/service/worth/decide", { body: { printer_id: m.printer_id, decided: way, why } })),
    leave,
  );
  return (
    <form
      className="grid max-w-[44em] gap-3 border-l-[5px] border-line pl-4"
      onSubmit={(e) => {
        e.preventDefault();
        write.mutate(undefined);
      }}
    >
      {m.retired ? (
        <p>It is put back on the floor.</p>
      ) : (
        <>
          <Choices label={`What becomes of ${m.printer}`} value={way} options={WAYS} onChange={setWay} />
          <p className="text-ink2" aria-live="polite">
            {MEANS[way]}
          </p>
        </>
      )}
      <LongField
        label="Why"
        hint="Whoever asks next year will read it."
        maxLength={300}
        rows={2}
        value={why}
        error={fieldError(write.error, "why")}
        onText={setWhy}
      />
      <ErrorNote error={write.error} />
      <div className="flex flex-wrap gap-3">
        <Button next type="submit" disabled={write.isPending}>
          {m.retired ? "Take it back" : WAYS.find((w) => w.value === way)!.label}
        </Button>
        <Button onClick={leave}>Leave it</Button>
      </div>
    </form>
  );
}
