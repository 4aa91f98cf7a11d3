/** One task of a round: its caution, its steps, what to look for; ticked by a key, trouble told of the part it was found in. */
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { benchPath } from "../bench/paths";
import {
  Button,
  Caution,
  Choices,
  ErrorNote,
  Field,
  FilePick,
  fieldError,
  INPUT,
  PICTURES,
  Steps,
  TextField,
  useKey,
} from "../kit/bits";
import { ago } from "../kit/figures";
import { inside } from "../kit/words";
import { useWrite } from "../offline/useEntries";

export type Service = Schemas["ServiceOut"];
export type Task = Service["due"][number];
export type Ticked = Schemas["TickOut"];
type Tick = Schemas["TickIn"];
type Becomes = Tick["becomes"];

const SAID: Record<NonNullable<Tick["found"]>, string> = {
  fine: "all fine",
  needed: "it was wanted",
  trouble: "trouble",
};

export type Given = Omit<Partial<Tick>, "task"> & Pick<Tick, "found"> & { task: Task; picture?: File | null };

/** Write down what was found of a task: sent, or kept on this device. */
export function useTick(id: number, machine: string, onTold: (s: Ticked) => void) {
  return useWrite<Ticked, Given>(({ picture, task, ...given }) => {
    const body: Tick = { task: task.task, words: "", component_id: null, becomes: "kept", finding: "", ...given };
    const writes: { path: string; body: object }[] = [{ path: `/api/printers/${id}/service/done`, body }];
    if (picture)
      writes.push({ path: "/api/deeds/{id}/picture", body: [{ name: "file", value: picture, file: picture.name }] });
    return {
      words: `${machine}: ${task.label}: ${SAID[given.found]}`,
      about: `/rounds/${id}`,
      mark: task.task,
      writes,
    };
  }, onTold);
}

type Props = {
  id: number;
  machine: string;
  t: Task;
  /** All fine, or it was wanted: the page goes on at once. */
  onDone: (found: "fine" | "needed") => void;
  onTold: (s: Ticked) => void;
  onLater: () => void;
};

export function OneTask({ id, machine, t, onDone: done, onTold, onLater }: Props) {
  const [trouble, setTrouble] = useState(false);
  const tick = useTick(id, machine, onTold);
  const free = !trouble && !tick.isPending && !tick.kept;
  useKey("1", free ? () => done("fine") : null);
  useKey("2", free ? () => done("needed") : null);
  useKey("3", free ? () => setTrouble(true) : null);
  const stuff = [...new Set(t.parts.map((p) => p.lubricant).filter(Boolean))];
  return (
    <div className="grid gap-4">
      <div>
        <h1 className="!text-[30px]">{t.label}</h1>
        <p className="text-ink2">
          {t.why} About {Math.round(t.minutes)} minutes.
          {t.last_at ? ` Last done ${ago(t.last_at)} by ${t.last_by}.` : ""}
        </p>
      </div>
      <Caution>{t.caution}</Caution>
      <Steps lines={t.steps} />
      {stuff.length ? (
        <ul className="grid gap-1">
          {stuff.map((s) => (
            <li key={s}>
              <b>With:</b> {s}
            </li>
          ))}
        </ul>
      ) : null}
      {t.tools.length ? <p className="text-ink2">Have at hand: {t.tools.join(", ")}.</p> : null}
      <p>
        <b>Look for:</b> {inside(t.trouble)}
      </p>
      {t.measure && t.parts[0] ? (
        <p className="flex flex-wrap gap-x-4">
          {t.parts.map((p) => (
            <Link
              key={p.id}
              to={benchPath(id, t.measure!, p.place)}
              className="inline-flex min-h-11 items-center font-semibold"
            >
              Measure: {p.label}
            </Link>
          ))}
        </p>
      ) : null}
      <div className="flex flex-wrap gap-3">
        <Button next keyHint="1" disabled={!free} onClick={() => done("fine")}>
          Done, all fine
        </Button>
        <Button keyHint="2" disabled={!free} onClick={() => done("needed")}>
          Done, it was wanted
        </Button>
        <Button keyHint="3" disabled={!free} onClick={() => setTrouble(true)}>
          Found trouble
        </Button>
        <Button disabled={tick.isPending} onClick={onLater}>
          Later
        </Button>
      </div>
      {trouble ? (
        <Trouble
          t={t}
          error={tick.error}
          busy={tick.isPending}
          onTell={(told) => tick.mutate({ task: t, found: "trouble", ...told })}
          onLeave={() => setTrouble(false)}
        />
      ) : null}
      <ErrorNote error={tick.error} />
    </div>
  );
}

type TroubleProps = {
  t: Task;
  error: unknown;
  busy: boolean;
  onTell: (told: Omit<Given, "found" | "task">) => void;
  onLeave: () => void;
};

/** Trouble: in which part, what is wrong, and what becomes of it. */
function Trouble({ t, error, busy, onTell, onLeave }: TroubleProps) {
  const [words, setWords] = useState("");
  const [part, setPart] = useState("");
  const [becomes, setBecomes] = useState<Becomes>("kept");
  const [finding, setFinding] = useState("");
  const [picture, setPicture] = useState<File | null>(null);
  const where = t.parts.length === 1 ? t.parts[0] : t.parts.find((p) => String(p.id) === part);
  const ways: { value: Becomes; label: string }[] = [{ value: "kept", label: "Written down, for later" }];
  if (where?.adjusts) ways.push({ value: "adjusted", label: "Put right on the spot" });
  if (t.shows.length) ways.push({ value: "case", label: "A case" });
  // Of another part it may no longer be possible.
  const chosen = ways.some((w) => w.value === becomes) ? becomes : "kept";
  return (
    <form
      className="grid max-w-[34em] gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        onTell({
          words,
          component_id: part ? Number(part) : null,
          becomes: chosen,
          finding: chosen === "case" ? finding : "",
          picture,
        });
      }}
    >
      {t.parts.length > 1 ? (
        <Field label="In which?" error={fieldError(error, "component_id")}>
          {(fid) => (
            <select id={fid} className={INPUT} required value={part} onChange={(e) => setPart(e.target.value)}>
              <option value="">choose</option>
              {t.parts.map((p) => (
                <option key={p.id} value={p.id}>
                  {p.label}
                </option>
              ))}
            </select>
          )}
        </Field>
      ) : null}
      <TextField
        label="What is wrong?"
        required
        maxLength={300}
        value={words}
        error={fieldError(error, "words")}
        onText={setWords}
      />
      {ways.length > 1 ? (
        <Choices label="What becomes of it?" options={ways} value={chosen} onChange={setBecomes} />
      ) : null}
      {chosen === "case" ? (
        <Field label="It is" error={fieldError(error, "finding")}>
          {(fid) => (
            <select id={fid} className={INPUT} required value={finding} onChange={(e) => setFinding(e.target.value)}>
              <option value="">choose</option>
              {t.shows.map((s) => (
                <option key={s.finding} value={s.finding}>
                  {s.label}
                </option>
              ))}
            </select>
          )}
        </Field>
      ) : null}
      {t.parts.length ? (
        <div className="flex flex-wrap items-center gap-3">
          <FilePick label="Take a picture" accept={PICTURES} camera onFile={setPicture} />
          {picture ? <span>{picture.name}</span> : null}
        </div>
      ) : null}
      <div className="flex gap-2">
        <Button next type="submit" disabled={busy}>
          Write it down
        </Button>
        <Button onClick={onLeave}>Leave it</Button>
      </div>
    </form>
  );
}
