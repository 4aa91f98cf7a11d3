/** Reporting a fault: what, where, since when, a picture. One minute, from a phone too. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, got, newKey, type Schemas } from "../api/client";
import {
  Button,
  Caution,
  ErrorNote,
  Field,
  fieldError,
  INPUT,
  Loading,
  LongField,
  PICTURES,
  TextField,
} from "../kit/bits";
import { SymptomDrawing } from "../kit/SymptomDrawing";
import { useDraft } from "../kit/useDraft";
import { entered, sendOrKeep, type Write } from "../offline/entries";
import { useSent } from "../offline/useEntries";
import { useMe } from "../session/me";
import { Atlas } from "./Atlas";
import { useFindings, WALLS } from "./knowledge";
import { type Sound, TenSeconds } from "./TenSeconds";

type Finding = Schemas["FindingOut"];

const AXES: [string, string][] = [
  ["", "Not sure"],
  ["x", "Left to right (X)"],
  ["y", "Front to back (Y)"],
  ["z", "Up and down (Z)"],
];

/** A wall that nobody can name may be any of them. */
const ON_WALLS: [string, string][] = [["", "Not sure, or on all"], ...Object.entries(WALLS)];

type Told = { finding: string; axis: string; wall: "" | "x" | "y" };
type Draft = { seen: Told[]; since: string; words: string };

/** The first thing met, and as many more as one report takes. */
const MOST_SEEN = 5;
const EMPTY: Draft = { seen: [], since: "", words: "" };

export function Report() {
  const id = Number(useParams().id);
  const me = useMe();
  const go = useNavigate();
  const [draft, setDraft, clear] = useDraft(`report-${id}`, EMPTY);
  const [file, setFile] = useState<File | null>(null);
  const [sound, setSound] = useState<Sound | null>(null);
  // One key a report: pressed twice, or sent again after a dropped link, it stays one.
  const keys = useRef({ report: newKey(), picture: newKey(), sound: newKey() });
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  const findings = useFindings();
  const known = (finding: string) => findings.data?.find((f) => f.id === finding);
  const report = useMutation({
    mutationFn: async ({ seen, since, words: more }: Draft) => {
      const [first, ...also] = seen;
      if (!first) throw new Error("Choose what you see or hear.");
      const told = { printer_id: id, since, words: more, ...first, also };
      const writes: Write[] = [{ path: "/api/cases", key: keys.current.report, body: JSON.stringify(told) }];
      if (file) {
        const body = [{ name: "file", value: file, file: file.name }];
        writes.push({ path: "/api/cases/{id}/pictures", key: keys.current.picture, body });
      }
      if (sound) {
        const body = [
          { name: "source", value: sound.source },
          { name: "file", value: sound.wav, file: "sound.wav" },
        ];
        writes.push({ path: "/api/cases/{id}/sound", key: keys.current.sound, body });
      }
      const words = `Report on ${printer.data!.name}: ${seen.map((s) => known(s.finding)?.label).join(", ")}`;
      return sendOrKeep<Schemas["CaseOut"]>(
        entered(me, keys.current.report, { words, about: `/machines/${id}`, writes }),
      );
    },
    onSuccess: (made) => {
      clear();
      if (made) go(`/cases/${made.id}`);
    },
  });
  if (!findings.data || !printer.data)
    return findings.error || printer.error ? (
      <ErrorNote error={findings.error ?? printer.error} />
    ) : (
      <Loading what="the form" />
    );
  const chosen = draft.seen.flatMap((s) => known(s.finding) ?? []);
  const stops = (seen: Told[]) => seen.some((s) => known(s.finding)?.kind === "danger");
  const danger = stops(draft.seen);
  const set = (part: Partial<Draft>) => {
    keys.current.report = newKey();
    setDraft({ ...draft, ...part });
  };
  const tell = (finding: string, part: Partial<Told>) =>
    set({ seen: draft.seen.map((s) => (s.finding === finding ? { ...s, ...part } : s)) });
  const toggle = ({ id: finding }: Finding) => {
    const rest = draft.seen.filter((s) => s.finding !== finding);
    if (rest.length < draft.seen.length) set({ seen: rest });
    else if (rest.length < MOST_SEEN) set({ seen: [...rest, { finding, axis: "", wall: "" }] });
  };
  // A closer word takes the place of the general one, and is where that was.
  const closer = (general: string, finding: string) =>
    set({
      seen: draft.seen.filter((s) => s.finding !== finding).map((s) => (s.finding === general ? { ...s, finding } : s)),
    });
  const qualifying = findings.data.filter((f) => f.qualifies && ["print", "machine", "circumstance"].includes(f.group));
  if (report.data === null)
    return <Waits id={keys.current.report} printer={printer.data} danger={stops(report.variables.seen)} />;
  return (
    <form
      className="mx-auto grid max-w-6xl items-start gap-4 lg:grid-cols-[1fr_400px]"
      onSubmit={(e) => {
        e.preventDefault();
        report.mutate({ ...draft, seen: draft.seen.filter((s) => known(s.finding)) });
      }}
    >
      <section className="sheet grid gap-3" aria-labelledby="what">
        <h1>What is wrong with {printer.data.name}?</h1>
        <h2 id="what">What do you see or hear?</h2>
        <p className="text-ink2">Choose what fits; up to {MOST_SEEN}, the worst first.</p>
        <Atlas findings={findings.data} chosen={draft.seen.map((s) => s.finding)} toggle={toggle} />
        {chosen.length ? (
          <a
            href="#mine"
            className="sticky bottom-2 flex min-h-12 items-center justify-center rounded-[3px] bg-ink px-4 font-semibold text-sheet no-underline lg:hidden"
          >
            Go on with your report ({chosen.length} chosen)
          </a>
        ) : null}
      </section>
      <section
        className="sheet grid gap-4 lg:sticky lg:top-4 lg:max-h-[96vh] lg:overflow-y-auto"
        aria-labelledby="mine"
      >
        <h2 id="mine">Your report</h2>
        {chosen.length ? null : <p>Nothing chosen yet. Point at what you see or hear.</p>}
        {danger ? (
          <Caution>
            Pull the mains plug now, if you can reach it safely. Do not only switch it off. Nobody may use this machine;
            sending this tags it out.
          </Caution>
        ) : null}
        {chosen.map((f) => (
          <Chosen
            key={f.id}
            f={f}
            told={draft.seen.find((s) => s.finding === f.id)!}
            closer={f.either.flatMap((c) => known(c) ?? [])}
            tell={(part) => tell(f.id, part)}
            say={(c) => closer(f.id, c)}
            remove={() => toggle(f)}
          />
        ))}
        {chosen.length && !danger ? (
          <details>
            <summary className="min-h-11 cursor-pointer py-2 font-semibold">Is any of this true, too?</summary>
            <ul className="grid gap-1.5">
              {qualifying.map((f) => (
                <li key={f.id}>
                  <label className="flex min-h-11 cursor-pointer items-center gap-3 rounded-[3px] border border-hair px-3 text-[16px] has-checked:border-2 has-checked:border-ink has-checked:font-semibold">
                    <input
                      type="checkbox"
                      className="h-5 w-5 accent-[var(--ink)]"
                      checked={draft.seen.some((s) => s.finding === f.id)}
                      onChange={() => toggle(f)}
                    />
                    {f.label}
                  </label>
                </li>
              ))}
            </ul>
          </details>
        ) : null}
        {fieldError(report.error, "finding") ? <p role="alert">{fieldError(report.error, "finding")}</p> : null}
        <TextField
          label="Since when?"
          hint="In your own words: yesterday, the new spool."
          value={draft.since}
          maxLength={60}
          onText={(typed) => set({ since: typed })}
        />
        <LongField label="Anything else?" value={draft.words} onText={(words) => set({ words })} />
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
              accept={PICTURES}
              className={`${INPUT} py-2.5`}
              onChange={(e) => {
                keys.current.picture = newKey();
                setFile(e.target.files?.[0] ?? null);
              }}
            />
          )}
        </Field>
        <TenSeconds
          sound={sound}
          onSound={(s) => {
            keys.current.sound = newKey();
            setSound(s);
          }}
        />
        {["finding", "file"].some((f) => fieldError(report.error, f)) ? null : <ErrorNote error={report.error} />}
        <div className="sticky -bottom-5 -mx-5 grid border-t border-hair bg-sheet px-5 py-3">
          <Button next type="submit" disabled={report.isPending || !chosen.length}>
            {report.isPending ? "Sending …" : "Send the report"}
          </Button>
        </div>
      </section>
    </form>
  );
}

type ChosenProps = {
  f: Finding;
  told: Told;
  closer: Finding[];
  tell: (part: Partial<Told>) => void;
  say: (finding: string) => void;
  remove: () => void;
};

/** One thing that was chosen: a closer word where there is one, where it is, and the way to take it back. */
function Chosen({ f, told, closer, tell, say, remove }: ChosenProps) {
  const byWall = f.asked === "wall";
  const field = byWall ? "wall" : "axis";
  const spots = byWall ? ON_WALLS : AXES.filter(([v]) => v === "" || f.among.length === 0 || f.among.includes(v));
  return (
    <div className="grid gap-2 border-l-[5px] border-line pl-3">
      <div className="flex items-center justify-between gap-2">
        <b className="text-[17px]">{f.label}</b>
        <Button
          className="min-h-11 shrink-0 px-3 text-[15px] whitespace-nowrap"
          aria-label={`Not this: ${f.label}`}
          onClick={remove}
        >
          Not this
        </Button>
      </div>
      {closer.length ? (
        <fieldset>
          <legend className="text-[15px] font-semibold">Which, if you can tell?</legend>
          <div className="mt-1 grid grid-cols-2 gap-2">
            {closer.map((c) => (
              <Button
                key={c.id}
                className="min-h-12 !flex-col !gap-1 px-2 text-[15px] !font-normal"
                onClick={() => say(c.id)}
              >
                {c.drawing?.length ? <SymptomDrawing lines={c.drawing} className="w-[72px]" /> : null}
                {c.label}
              </Button>
            ))}
          </div>
        </fieldset>
      ) : null}
      {f.placed && !f.qualifies ? (
        <fieldset>
          <legend className="text-[15px] font-semibold">
            {byWall ? "On which wall do they stand?" : "In which direction?"}
          </legend>
          <div className="mt-1 grid grid-cols-2 gap-2">
            {spots.map(([value, words]) => (
              <label
                key={value}
                className="flex min-h-12 cursor-pointer items-center gap-2 rounded-[3px] border border-line px-3 text-[16px] has-checked:border-2 has-checked:border-ink has-checked:font-semibold"
              >
                <input
                  type="radio"
                  name={`${field} ${f.id}`}
                  value={value}
                  checked={told[field] === value}
                  onChange={() => tell({ [field]: value })}
                  className="h-5 w-5 accent-[var(--ink)]"
                />
                {words}
              </label>
            ))}
          </div>
        </fieldset>
      ) : null}
    </div>
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
