/** Hold an instrument against something known, or a square against itself turned over; the record says what came out. */
import { useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../api/client";
import { Button, Choices, ErrorNote, fieldError, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { ReadingsField, type Row } from "../kit/ReadingsField";
import { useDraft } from "../kit/useDraft";
import { KeptNote } from "../offline/KeptNote";
import { useWrite } from "../offline/useEntries";

type Here = Schemas["InstrumentHere"];
type How = Schemas["CheckIn"]["how"];
type Draft = {
  how: How;
  against: string;
  reference: string;
  known: string;
  limit: string;
  due: string;
  rows: Row[];
  reversed: Row[];
};

/** A year on, as a date. */
const inAYear = () => new Date(Date.now() + 365 * 86_400_000).toISOString().slice(0, 10);

const FIELDS = ["against", "reference", "reference_u95", "limit", "check_due", "readings", "reversed"];

export function CheckForm({ i }: { i: Here }) {
  const client = useQueryClient();
  const blank: Draft = {
    how: i.kind.includes("square") ? "turned_over" : "known",
    against: i.checked_against,
    reference: String(i.checks[0]?.reference ?? ""),
    known: "",
    limit: i.resolution ? String(Number((2 * i.resolution).toPrecision(3))) : "",
    due: inAYear(),
    rows: [],
    reversed: [],
  };
  const [form, setForm, clear] = useDraft(`check-${i.id}`, blank);
  const figures = (rows: Row[]) => rows.map((r) => Number(r.reading));
  const turned = form.how === "turned_over";
  const keep = useWrite<Here>(
    () => ({
      words: `${i.name}: checked against ${turned ? "itself, turned over" : form.against}`,
      about: `/instruments/${i.id}`,
      writes: [
        {
          path: `/api/instruments/${i.id}/checks`,
          body: {
            how: form.how,
            against: turned ? "itself, turned over" : form.against.trim(),
            reference: turned ? null : parseFigure(form.reference),
            reference_u95: turned ? null : parseFigure(form.known),
            readings: figures(form.rows),
            reversed: turned ? figures(form.reversed) : [],
            limit: parseFigure(form.limit),
            check_due: form.due || null,
          } satisfies Schemas["CheckIn"],
        },
      ],
    }),
    (shown) => {
      clear();
      client.setQueryData(["instrument", i.id], shown);
      client.invalidateQueries({ queryKey: ["workshop"] });
      client.invalidateQueries({ queryKey: ["floor"] });
    },
  );
  const said = (name: string) => fieldError(keep.error, name);
  const text = (name: keyof Draft, field: string, label: string, hint = "", figure = true) => (
    <TextField
      label={label}
      hint={hint}
      figure={figure}
      error={said(field)}
      value={form[name] as string}
      maxLength={figure ? 20 : 120}
      onText={(typed) => setForm({ ...form, [name]: typed })}
    />
  );
  const column = (label: string) => [{ name: "reading", label, unit: i.unit, min: -1e6, max: 1e6 }];
  return (
    <details className="border-t border-hair pt-2" open={!i.checks.length || i.doubt !== ""}>
      <summary className="min-h-11 cursor-pointer py-2 font-semibold">Check it now</summary>
      <div className="grid gap-3">
        <Choices
          label="How"
          options={[
            { value: "known", label: "Something known" },
            { value: "turned_over", label: "A square, turned over" },
          ]}
          value={form.how}
          onChange={(how) => setForm({ ...form, how })}
        />
        {turned ? (
          <p>
            Run an indicator along the square, note the change over the span; turn the square over against the same
            edge, and run the same span again. What both ways share is the machine's, half of the difference the
            square's.
          </p>
        ) : (
          <>
            <p>
              Clean its faces and what is measured, let both lie an hour in the same room, set zero, then read three
              times or more, taking it off in between.
            </p>
            <div className="grid gap-3 sm:grid-cols-2">
              {text("against", "against", "Held against", "A gauge block, a weight, a tuning fork.", false)}
              {text("reference", "reference", `It is truly, ${i.unit}`)}
              {text("known", "reference_u95", `Known to ±, ${i.unit}`, "0.001 where left empty: a good gauge block")}
            </div>
          </>
        )}
        <div className={turned ? "grid gap-3 sm:grid-cols-2" : ""}>
          <ReadingsField
            columns={column(turned ? "As it lies" : "It reads")}
            rows={form.rows}
            onChange={(rows) => setForm({ ...form, rows })}
          />
          {turned ? (
            <ReadingsField
              columns={column("Turned over")}
              rows={form.reversed}
              onChange={(reversed) => setForm({ ...form, reversed })}
            />
          ) : null}
        </div>
        {[said("readings"), said("reversed")].map((words) =>
          words ? (
            <p key={words} role="alert" className="font-semibold text-failed">
              {words}
            </p>
          ) : null,
        )}
        <div className="grid gap-3 sm:grid-cols-2">
          {text("limit", "limit", `It may be off by, ${i.unit}`, "Twice its step is typical of a hand tool")}
          <TextField
            label="Next check by"
            type="date"
            error={said("check_due")}
            value={form.due}
            onText={(due) => setForm({ ...form, due })}
          />
        </div>
        {keep.error && !FIELDS.some(said) ? <ErrorNote error={keep.error} /> : null}
        {keep.kept ? <KeptNote id={keep.kept}>the result comes when the network is back</KeptNote> : null}
        <Button
          next
          className="justify-self-start"
          disabled={keep.isPending || keep.kept !== null || !form.rows.length}
          onClick={() => keep.mutate(undefined)}
        >
          Keep the check
        </Button>
      </div>
    </details>
  );
}
