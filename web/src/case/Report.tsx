/** Reporting a fault: what, where, since when, a picture. One minute, from a phone too. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, got, newKey, type Schemas } from "../api/client";
import { Button, Caution, ErrorNote, Field, fieldError, INPUT, Loading, TextField } from "../kit/bits";
import { entered, sendOrKeep, type Write } from "../offline/entries";
import { useSent } from "../offline/useEntries";
import { useMe } from "../session/me";
import { useFindings } from "./knowledge";

const AXES: [string, string][] = [
  ["", "Not sure"],
  ["x", "Left to right (X)"],
  ["y", "Front to back (Y)"],
  ["z", "Up and down (Z)"],
];

/** Echoes are asked by the wall they stand on: which axis rings follows from it, and is said. */
const WALLS: [string, string][] = [
  ["", "Not sure, or on all"],
  ["x", "Runs left to right"],
  ["y", "Runs front to back"],
];

type Draft = { finding: string; axis: string; wall?: "" | "x" | "y"; since: string; words: string };

/** What somebody can say who only stands before the machine; the rest comes from checks. */
const GROUPS = [
  ["danger", "Danger"],
  ["print", "On the print"],
  ["sound", "To hear"],
  ["machine", "What the machine does"],
] as const;

export function Report() {
  const id = Number(useParams().id);
  const me = useMe();
  const go = useNavigate();
  const store = `report-${id}`;
  const [draft, setDraft] = useState<Draft>(
    () => JSON.parse(sessionStorage.getItem(store) ?? "null") ?? { finding: "", axis: "", since: "", words: "" },
  );
  const [file, setFile] = useState<File | null>(null);
  // One key a report: pressed twice, or sent again after a dropped link, it stays one.
  const keys = useRef({ report: newKey(), picture: newKey() });
  useEffect(() => sessionStorage.setItem(store, JSON.stringify(draft)), [draft, store]);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  const findings = useFindings();
  const report = useMutation({
    mutationFn: async () => {
      const told = { printer_id: id, ...draft, ...(byWall ? { axis: "" } : { wall: "" }) };
      const writes: Write[] = [{ path: "/api/cases", key: keys.current.report, body: JSON.stringify(told) }];
      if (file) {
        const body = [{ name: "file", value: file, file: file.name }];
        writes.push({ path: "/api/cases/{id}/pictures", key: keys.current.picture, body });
      }
      const words = `Report on ${printer.data!.name}: ${chosen!.label}`;
      return sendOrKeep<Schemas["CaseOut"]>(
        entered(me, keys.current.report, { words, about: `/machines/${id}`, writes }),
      );
    },
    onSuccess: (made) => {
      sessionStorage.removeItem(store);
      if (made) go(`/cases/${made.id}`);
    },
  });
  if (!findings.data || !printer.data)
    return findings.error || printer.error ? (
      <ErrorNote error={findings.error ?? printer.error} />
    ) : (
      <Loading what="the form" />
    );
  const seen = findings.data.filter((f) => GROUPS.some(([group]) => group === f.group));
  const chosen = seen.find((f) => f.id === draft.finding);
  const danger = chosen?.kind === "danger";
  const byWall = chosen?.asked === "wall";
  const field = byWall ? "wall" : "axis";
  const set = (part: Partial<Draft>) => {
    keys.current.report = newKey();
    setDraft({ ...draft, ...part });
  };
  if (report.data === null) return <Waits id={keys.current.report} printer={printer.data} danger={danger} />;
  return (
    <form
      className="sheet mx-auto grid max-w-xl gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        report.mutate();
      }}
    >
      <h1>What is wrong with {printer.data.name}?</h1>
      <Field label="What do you see or hear?" error={fieldError(report.error, "finding")}>
        {(fid, note) => (
          <select
            id={fid}
            aria-describedby={note}
            className={INPUT}
            value={draft.finding}
            onChange={(e) => set({ finding: e.target.value })}
            required
          >
            <option value="">Choose what fits best</option>
            {GROUPS.map(([group, words]) => (
              <optgroup key={group} label={words}>
                {seen
                  .filter((f) => f.group === group)
                  .map((f) => (
                    <option key={f.id} value={f.id}>
                      {f.label}
                    </option>
                  ))}
              </optgroup>
            ))}
          </select>
        )}
      </Field>
      {danger ? (
        <Caution>
          Pull the mains plug now, if you can reach it safely. Do not only switch it off. Nobody may use this machine;
          sending this tags it out.
        </Caution>
      ) : null}
      <fieldset>
        <legend className="text-[15px] font-semibold">
          {byWall ? "On which wall do they stand?" : "In which direction?"}
        </legend>
        <div className="mt-1 grid grid-cols-2 gap-2">
          {(byWall ? WALLS : AXES).map(([value, words]) => (
            <label
              key={value}
              className="flex min-h-12 cursor-pointer items-center gap-2 rounded-[3px] border border-line px-3 has-checked:border-2 has-checked:border-ink has-checked:font-semibold"
            >
              <input
                type="radio"
                name={field}
                value={value}
                checked={(draft[field] ?? "") === value}
                onChange={() => set({ [field]: value })}
                className="h-5 w-5 accent-[var(--ink)]"
              />
              {words}
            </label>
          ))}
        </div>
      </fieldset>
      <TextField
        label="Since when?"
        hint="In your own words: yesterday, the new spool."
        value={draft.since}
        maxLength={60}
        onText={(typed) => set({ since: typed })}
      />
      <Field label="Anything else?">
        {(fid) => (
          <textarea
            id={fid}
            className={`${INPUT} py-2`}
            rows={3}
            maxLength={2000}
            value={draft.words}
            onChange={(e) => set({ words: e.target.value })}
          />
        )}
      </Field>
      <Field
        label="A picture of the print"
        hint="Lit from the side it shows most."
        error={fieldError(report.error, "file")}
      >
        {(fid, note) => (
          <input
            id={fid}
            aria-describedby={note}
            type="file"
            accept="image/jpeg,image/png,image/webp"
            className={`${INPUT} py-2.5`}
            onChange={(e) => {
              keys.current.picture = newKey();
              setFile(e.target.files?.[0] ?? null);
            }}
          />
        )}
      </Field>
      {["finding", "file"].some((f) => fieldError(report.error, f)) ? null : <ErrorNote error={report.error} />}
      <Button next type="submit" disabled={report.isPending}>
        {report.isPending ? "Sending …" : "Send the report"}
      </Button>
    </form>
  );
}

/** A report that waits on this device warns nobody yet. */
function Waits({ id, printer, danger }: { id: string; printer: Schemas["PrinterOut"]; danger: boolean }) {
  const back = <Link to={`/machines/${printer.id}`}>Back to {printer.name}</Link>;
  if (useSent(id))
    return (
      <section className="sheet mx-auto grid max-w-xl gap-4" role="status">
        <h1>Sent</h1>
        <p className="text-[17px]">
          The workshop has your report{danger ? `, and ${printer.name} is tagged out` : ""}.
        </p>
        {back}
      </section>
    );
  return (
    <section className="sheet mx-auto grid max-w-xl gap-4" role="status">
      <h1>Kept on this device</h1>
      {danger ? (
        <Caution>
          {printer.name} is not tagged out yet: the workshop cannot be reached, and nobody else knows. Leave it
          unplugged, put a note on it, and tell a technician yourself.
        </Caution>
      ) : (
        <p className="text-[17px]">The workshop cannot be reached. Until it is, nobody else knows of your report.</p>
      )}
      <p className="text-[17px]">It goes out by itself, as yours, while this page or another of Kestov is open here.</p>
      {back}
    </section>
  );
}
