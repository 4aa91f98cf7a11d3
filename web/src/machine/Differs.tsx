/** What a machine is, and where it differs from its model: another pulley after a repair, with date and reason. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, Refusal, type Schemas } from "../api/client";
import { type Asked, Fields, type Texts } from "../bench/Fields";
import { Button, ErrorNote, Field, fieldError, INPUT, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { useWrite } from "../offline/useEntries";
import { nameOf } from "../workshop/draft";

type Sheet = Schemas["PrinterSheet"];
type SheetField = Schemas["SheetField"];

const today = () => new Date().toLocaleDateString("sv");

export function Differs({ id }: { id: number }) {
  const [open, setOpen] = useState(false);
  const sheet = useQuery({
    queryKey: ["sheet-of", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/sheet", { params: { path: { printer_id: id } } })),
  });
  if (!sheet.data) return <ErrorNote error={sheet.error} />;
  const s = sheet.data;
  const now = new Set(s.differs.map((path) => nameOf(path)));
  const told = s.sections.flatMap((part) =>
    part.fields
      .filter((f) => now.has(nameOf(f.path)))
      .map((f) => `${part.title}, ${f.title.toLowerCase()}: ${f.value}`),
  );
  return (
    <details>
      <summary className="min-h-11 cursor-pointer text-[15px] font-semibold text-ink2">
        {told.length ? `Differs from its model (${told.length})` : "As its model says"}
      </summary>
      <div className="grid gap-3">
        {told.length ? (
          <ul className="rows">
            {told.map((words) => (
              <li key={words} className="py-1.5">
                {words}
              </li>
            ))}
          </ul>
        ) : null}
        {s.differences.length ? (
          <ul className="rows text-[15px] text-ink2">
            {s.differences.map((d) => (
              <li key={d.at} className="py-1.5">
                {d.words}: {d.shown}, since {d.since}. {d.reason} {d.by}.
              </li>
            ))}
          </ul>
        ) : null}
        {open ? (
          <Differ id={id} sheet={s} leave={() => setOpen(false)} />
        ) : (
          <Button className="justify-self-start" onClick={() => setOpen(true)}>
            A value differs here
          </Button>
        )}
      </div>
    </details>
  );
}

function Differ({ id, sheet, leave }: { id: number; sheet: Sheet; leave: () => void }) {
  const client = useQueryClient();
  const [part, setPart] = useState(sheet.sections[0]!.key);
  const fields = sheet.sections.find((s) => s.key === part)?.fields ?? [];
  const [which, setWhich] = useState("");
  const f = fields.find((x) => nameOf(x.path) === which) ?? fields[0];
  const [texts, setTexts] = useState<Texts>({});
  const [since, setSince] = useState(today);
  const [reason, setReason] = useState("");
  const differs = f ? sheet.differs.some((path) => nameOf(path) === nameOf(f.path)) : false;
  const keep = useWrite<Sheet, unknown>(
    (value) => ({
      words: `This machine differs from its model: ${f!.title}`,
      about: `/machines/${id}`,
      writes: [{ path: `/api/printers/${id}/differences`, body: { path: f!.path, value, since, reason } }],
    }),
    (answer) => {
      client.setQueryData(["sheet-of", id], answer);
      client.invalidateQueries({
        predicate: (q) => ["printer", "record", "bench", "bench-page"].includes(String(q.queryKey[0])),
      });
      leave();
    },
    leave,
  );
  if (!f) return null;
  // Of a difference the value is all that is asked: whatever it hangs on is as it is.
  const asked: Asked = { ...f, name: "value", when: null, optional: false, value: null, origin: null, hint: f.hint };
  const told = texts.value ?? "";
  return (
    <form
      className="grid gap-3 border-t border-hair pt-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate(asValue(f, told));
      }}
    >
      <Field label="Which part">
        {(fid) => (
          <select
            id={fid}
            className={INPUT}
            value={part}
            onChange={(e) => {
              setPart(e.target.value);
              setTexts({});
              setWhich("");
            }}
          >
            {sheet.sections
              .filter((s) => s.fields.length)
              .map((s) => (
                <option key={s.key} value={s.key}>
                  {s.title}
                </option>
              ))}
          </select>
        )}
      </Field>
      <Field label="Which value">
        {(fid) => (
          <select
            id={fid}
            className={INPUT}
            value={nameOf(f.path)}
            onChange={(e) => {
              setWhich(e.target.value);
              setTexts({});
            }}
          >
            {fields.map((x) => (
              <option key={nameOf(x.path)} value={nameOf(x.path)}>
                {x.title}
                {x.value != null ? `: ${x.value}${x.unit ? ` ${x.unit}` : ""}` : ""}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Fields
        fields={[asked]}
        texts={texts}
        onText={(_, text) => setTexts({ value: text })}
        error={at(keep.error, f)}
      />
      <TextField
        label="Since"
        error={fieldError(keep.error, "since")}
        type="date"
        required
        max={today()}
        value={since}
        onText={setSince}
      />
      <div className="sm:col-span-2">
        <TextField
          label="Why"
          error={fieldError(keep.error, "reason")}
          required
          maxLength={200}
          value={reason}
          onText={setReason}
        />
      </div>
      <ErrorNote error={keep.error && !(keep.error instanceof Refusal && keep.error.field) ? keep.error : null} />
      <div className="flex flex-wrap gap-3 sm:col-span-2">
        <Button type="submit" disabled={keep.isPending || !told.trim()}>
          Write it down
        </Button>
        {differs ? (
          <Button disabled={keep.isPending || !reason.trim()} onClick={() => keep.mutate(null)}>
            As its model again
          </Button>
        ) : null}
        <Button onClick={leave}>Leave it</Button>
      </div>
    </form>
  );
}

function asValue(f: SheetField, text: string): unknown {
  if (f.kind === "figure") return parseFigure(text) ?? text;
  return text === "true" || text === "false" ? text === "true" : text;
}

/** What the description refuses at this value's path is said at the value. */
function at(error: unknown, f: SheetField): unknown {
  if (error instanceof Refusal && error.field && fieldError(error, nameOf(f.path)))
    return new Refusal(error.status, error.code, error.message, "value");
  return error;
}
