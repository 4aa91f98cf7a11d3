/** What has been seen in a case, grouped as one meets it, with quick entry: a few letters, or the number of a question. */
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, Field, INPUT, TextField, useKey } from "../kit/bits";
import { ago, parseFigure } from "../kit/figures";
import { SymptomDrawing } from "../kit/SymptomDrawing";
import { placeName } from "../kit/words";
import { useWrite } from "../offline/useEntries";
import { AskThem } from "../practice/DoIt";
import { Atlas } from "./Atlas";
import { STATE } from "./CaseList";
import { fits, GROUPS, useFindings, WALLS } from "./knowledge";
import { aboutCase, useWaitingHere } from "./writing";

type Case = Schemas["CaseOut"];
type Finding = Schemas["FindingOut"];
type State = "present" | "absent" | "unknown";
/** What a figure is that is read by the machine's lengths, by its unit. */
const FIGURE: Record<string, string> = { mm: "From one to the next", Hz: "Pitch" };
const MARK = { present: "+", absent: "−", unknown: "?" } as const;
const SAID = { present: "seen", absent: "looked for, not there", unknown: "not sure" } as const;

export function Seen({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  return (
    <section className="sheet grid gap-3">
      <div>
        <p className="text-[15px] text-ink2">
          <Link to={`/machines/${c.printer_id}`}>{c.printer}</Link>, {STATE[c.state].toLowerCase()}
          {c.taken_by && c.state !== "closed" ? ` with ${c.taken_by}` : ""}
        </p>
        <h1 className="!text-[23px]">{c.title}</h1>
        {c.may_work ? (
          <Link to={`/print/cases/${c.id}`} className="inline-flex min-h-11 items-center text-[15px]">
            As a report, on paper
          </Link>
        ) : null}
        {c.since ? <p className="mt-1">Since: {c.since}</p> : null}
        {c.words ? <p className="mt-1">{c.words}</p> : null}
      </div>
      {c.pictures
        .filter((p) => p.before === null)
        .map((p) => (
          <figure key={p.id}>
            <a href={`/api/pictures/${p.id}`} target="_blank" rel="noreferrer">
              <img
                src={`/api/pictures/${p.id}?small=true`}
                width={p.width}
                height={p.height}
                alt={p.words || `Picture by ${p.by}`}
                className="h-auto w-full rounded-[3px]"
              />
            </a>
            <figcaption className="text-[15px] text-ink2">
              {p.words ? `${p.words} ` : ""}
              {p.by}, {ago(p.at)}
            </figcaption>
          </figure>
        ))}
      {c.sounds.map((s) => (
        <Heard key={s.capture} s={s} plays={c.may_work} />
      ))}
      <Observed c={c} changed={changed} />
      {c.state === "closed" ? null : <Questions c={c} changed={changed} />}
      {c.state === "closed" ? null : <QuickEntry c={c} changed={changed} />}
    </section>
  );
}

/** Ten seconds of sound, and what is new in them. */
function Heard({ s, plays }: { s: Case["sounds"][number]; plays: boolean }) {
  return (
    <figure className="grid gap-1">
      {plays ? (
        // biome-ignore lint/a11y/useMediaCaption: the sound of a machine has no words
        <audio
          controls
          preload="none"
          src={`/api/captures/${s.capture}/raw`}
          aria-label={`Sound by ${s.by}`}
          className="w-full"
        />
      ) : null}
      <figcaption>
        {s.new.length ? (
          <>
            New in its sound: <b>{s.new.join("; ")}</b>
          </>
        ) : (
          s.why_not || "Nothing new in its sound."
        )}
        <span className="block text-[15px] text-ink2">
          {s.by}, {ago(s.at)}
        </span>
      </figcaption>
    </figure>
  );
}

/** The last word on each finding at each place; what was looked for and not there is folded away. */
function Observed({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const undo = useMutation({
    mutationFn: () => got(api.POST("/api/cases/{case_id}/undo", { params: { path: { case_id: c.id } } })),
    onSuccess: changed,
  });
  const last = new Map(c.observations.map((o) => [`${o.finding} ${o.axis}`, o]));
  const now = [...last.values()];
  const shown = now.filter((o) => o.state === "present");
  const rest = now.filter((o) => o.state !== "present");
  const line = (o: Case["observations"][number]) => (
    <li key={o.id} className="flex gap-2.5 py-1.5">
      <span className="w-4 font-mono font-bold" aria-hidden="true">
        {MARK[o.state]}
      </span>
      <div>
        {o.label}
        {o.axis ? `, ${placeName(o.axis)}` : ""}
        {o.value != null ? `: ${o.value} ${o.unit ?? ""}` : ""}
        <span className="block text-[15px] text-ink2">
          {SAID[o.state]}
          {o.note ? `: ${o.note}` : ""}. {o.by}, {ago(o.at)}
        </span>
      </div>
    </li>
  );
  return (
    <div className="grid gap-2">
      <h2>What has been seen</h2>
      {GROUPS.map(([group, words]) => {
        const rows = shown.filter((o) => o.group === group);
        return rows.length ? (
          <div key={group}>
            <h3 className="text-[15px] text-ink2">{words}</h3>
            <ul className="rows">{rows.map(line)}</ul>
          </div>
        ) : null;
      })}
      {rest.length ? (
        <details>
          <summary className="min-h-11 cursor-pointer py-2 text-[15px] font-semibold text-ink2">
            Looked for and not there, or not sure ({rest.length})
          </summary>
          <ul className="rows">{rest.map(line)}</ul>
        </details>
      ) : null}
      {c.state !== "closed" && c.observations.length > 1 ? (
        <Button className="min-h-11 justify-self-start px-3 text-[15px]" onClick={() => undo.mutate()}>
          Take back my last
        </Button>
      ) : null}
      <ErrorNote error={undo.error} />
    </div>
  );
}

type Observing = {
  finding: string;
  state: State;
  axis?: string;
  wall?: "" | "x" | "y";
  value?: number | null;
  note?: string;
};

/** ``label``: the finding in words, for the list of what waits. */
function useObserve(c: Case, changed: (c: Case) => void) {
  return useWrite<Case, Observing & { label: string }>(({ label, ...o }) => {
    const body: Schemas["ObservationIn"] = { axis: "", wall: "", note: "", ...o };
    return aboutCase(c, "observations", `${label}: ${SAID[o.state]}`, body, `finding ${o.finding}`);
  }, changed);
}

/** Questions that anyone can answer from the print or the noise, and that would move the bars: number keys say yes. */
function Questions({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const observe = useObserve(c, changed);
  const kinds = useFindings();
  const asked = new Set(c.observations.map((o) => o.finding));
  const waits = new Set(useWaitingHere(c).map((e) => e.mark));
  const rows = (c.weighing?.result.ask ?? []).filter(
    (q) => (q.places?.length || !asked.has(q.finding)) && !waits.has(`finding ${q.finding}`),
  );
  const yes = (k: number) => {
    const { finding, label, places } = rows[k] ?? {};
    return finding && label && !places?.length ? () => observe.mutate({ finding, label, state: "present" }) : null;
  };
  useKey("1", yes(0));
  useKey("2", yes(1));
  useKey("3", yes(2));
  if (!rows.length) return null;
  return (
    <div className="grid gap-1">
      <h3 className="text-[15px] font-semibold">Worth asking</h3>
      <ul className="rows">
        {rows.map(({ finding, label, places }, k) => (
          <li key={`${finding} ${places?.length ? "where" : ""}`} className="py-2">
            {places?.length ? (
              <>
                <AskThem key={`${finding} where`} finding={finding} places={places} />
                <WhereIsIt
                  label={label}
                  places={places}
                  wall={kinds.data?.find((f) => f.id === finding)?.asked === "wall"}
                  tell={(at) => observe.mutate({ finding, label, state: "present", ...at })}
                  unsure={() => observe.mutate({ finding, label, state: "present", note: "not sure where" })}
                />
              </>
            ) : (
              <>
                <p>{label}?</p>
                <AskThem key={finding} finding={finding} places={[]} />
                <div className="mt-1 flex flex-wrap gap-1.5">
                  <Button
                    className="min-h-11 !gap-1.5 !px-2.5 !text-[16px]"
                    keyHint={String(k + 1)}
                    onClick={() => observe.mutate({ finding, label, state: "present" })}
                  >
                    Yes
                  </Button>
                  <Button
                    className="min-h-11 !px-2.5 !text-[16px]"
                    onClick={() => observe.mutate({ finding, label, state: "absent" })}
                  >
                    No
                  </Button>
                  <Button
                    className="min-h-11 !px-2.5 !text-[16px]"
                    onClick={() => observe.mutate({ finding, label, state: "unknown" })}
                  >
                    Not sure
                  </Button>
                </div>
              </>
            )}
          </li>
        ))}
      </ul>
      <ErrorNote error={observe.error} />
    </div>
  );
}

const isWall = (p: string): p is "x" | "y" => p === "x" || p === "y";

/** It is there already; asked is where: on which wall, for what is told so, or at which place. */
function WhereIsIt(props: {
  label: string;
  places: string[];
  wall: boolean;
  tell: (at: { axis: string } | { wall: "x" | "y" }) => void;
  unsure: () => void;
}) {
  const { label, places, wall, tell, unsure } = props;
  return (
    <fieldset>
      <legend>{label}</legend>
      <div className="mt-1 flex flex-wrap gap-1.5">
        {places.map((p) => (
          <Button
            key={p}
            className="min-h-11 !px-3 !text-[16px]"
            onClick={() => tell(wall && isWall(p) ? { wall: p } : { axis: p })}
          >
            {wall && isWall(p) ? WALLS[p] : placeName(p)}
          </Button>
        ))}
        <Button className="min-h-11 !px-2.5 !text-[16px]" onClick={unsure}>
          Not sure
        </Button>
      </div>
    </fieldset>
  );
}

function QuickEntry({ c, changed }: { c: Case; changed: (c: Case) => void }) {
  const findings = useFindings();
  const observe = useObserve(c, changed);
  const [text, setText] = useState("");
  const [chosen, setChosen] = useState<Finding | null>(null);
  const [axis, setAxis] = useState("");
  const [figure, setFigure] = useState("");
  const [wrong, setWrong] = useState("");
  const typed = text.trim();
  const hits = typed ? (findings.data ?? []).filter((f) => fits(f, typed)).slice(0, 6) : [];
  const choose = (f: Finding) => {
    setChosen(f);
    setAxis("");
    setFigure("");
    setWrong("");
    setText("");
  };
  const say = (state: State) => {
    const { id: finding, label, asked } = chosen!;
    const value = state === "present" && figure.trim() ? parseFigure(figure) : null;
    if (state === "present" && figure.trim() && value === null) return setWrong("Enter a figure.");
    observe.mutate({
      finding,
      label,
      state,
      value,
      ...(asked === "wall" ? { wall: axis as "" | "x" | "y" } : { axis }),
    });
    setChosen(null);
  };
  return (
    <div className="grid gap-2">
      <TextField
        label="What else?"
        hint={chosen ? undefined : "Type a few letters: squeak, band, loose."}
        autoComplete="off"
        value={text}
        onText={setText}
        onKeyDown={(e) => {
          if (e.key === "Enter" && hits[0]) {
            e.preventDefault();
            choose(hits[0]);
          }
        }}
      />
      {hits.length ? (
        <ul className="grid gap-1" aria-label="Findings that match">
          {hits.map((f) => (
            <li key={f.id}>
              <Button className="min-h-11 w-full !justify-start px-3 text-left !font-normal" onClick={() => choose(f)}>
                {f.drawing?.length ? <SymptomDrawing lines={f.drawing} className="w-14 shrink-0" /> : null}
                {f.label}
              </Button>
            </li>
          ))}
        </ul>
      ) : typed ? (
        <p className="text-[15px] text-ink2">Nothing on the list is called that. Write it into the log.</p>
      ) : null}
      {typed || chosen ? null : (
        <details>
          <summary className="min-h-11 cursor-pointer py-2 text-[15px] font-semibold">
            Or point at what it looks like
          </summary>
          <Atlas bare findings={findings.data ?? []} chosen={[]} toggle={choose} />
        </details>
      )}
      {chosen ? (
        <div className="grid gap-2 border-l-[5px] border-go bg-well p-3" role="group" aria-label={chosen.label}>
          <b>{chosen.label}</b>
          {chosen.placed ? (
            <Field
              label={chosen.asked === "wall" ? "On which wall?" : "Where?"}
              hint={chosen.asked === "wall" ? "What rings is the axis across it; it is worked out." : undefined}
            >
              {(id, note) => (
                <select
                  id={id}
                  aria-describedby={note}
                  className={INPUT}
                  value={axis}
                  onChange={(e) => setAxis(e.target.value)}
                >
                  <option value="">Not sure where</option>
                  {chosen.asked === "wall"
                    ? (["x", "y"] as const).map((w) => (
                        <option key={w} value={w}>
                          {WALLS[w]}
                        </option>
                      ))
                    : (chosen.among.length ? chosen.among : (c.spots[chosen.placed!] ?? [])).map((p) => (
                        <option key={p} value={p}>
                          {placeName(p)}
                        </option>
                      ))}
                </select>
              )}
            </Field>
          ) : null}
          {chosen.unit ? (
            <TextField
              label={`${chosen.reads_as.length ? FIGURE[chosen.unit] : "How much"}, where measured`}
              hint={`In ${chosen.unit}${chosen.reads_as.length ? "; read by this machine's own lengths" : ""}.`}
              error={wrong || undefined}
              figure
              maxLength={12}
              value={figure}
              onText={setFigure}
            />
          ) : null}
          <div className="flex flex-wrap gap-2">
            <Button onClick={() => say("present")}>Seen</Button>
            <Button onClick={() => say("absent")}>Not there</Button>
            <Button onClick={() => say("unknown")}>Not sure</Button>
          </div>
        </div>
      ) : null}
      <ErrorNote error={observe.error} />
    </div>
  );
}
