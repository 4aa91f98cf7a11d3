/** Changing a task, and adding one: how often, its words, whether it is done. */
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { Button, ErrorNote, Field, fieldError, INPUT, LongField, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { type Task, type Tasks, useTasksWrite } from "./tasks";
import { STATE } from "./words";

type Every = Schemas["Every"];
type Typed = Record<keyof Every, string>;

const UNITS: [keyof Every, string][] = [
  ["days", "days"],
  ["hours", "h of print"],
  ["kg", "kg of filament"],
  ["km", "km of travel"],
];
const typedOf = (e: Every | null): Typed => {
  const text = (v: number | null | undefined) => (v == null ? "" : String(v));
  return { days: text(e?.days), hours: text(e?.hours), kg: text(e?.kg), km: text(e?.km) };
};

/** What was typed as an interval; what is wrong, by unit. */
export function everyOf(typed: Typed): { every: Every | null; wrong: Partial<Typed> } {
  const wrong: Partial<Typed> = {};
  const every: Record<string, number | null> = {};
  for (const [unit] of UNITS) {
    const text = typed[unit].trim();
    const v = text ? parseFigure(text) : null;
    if (text && (v === null || v <= 0)) wrong[unit] = "Enter a figure above zero, or leave it empty.";
    every[unit] = v;
  }
  if (!Object.keys(wrong).length && UNITS.every(([unit]) => every[unit] === null))
    wrong.days = "Enter at least one of them.";
  return { every: Object.keys(wrong).length ? null : (every as Every), wrong };
}

function EveryFields({ typed, wrong, onType }: { typed: Typed; wrong: Partial<Typed>; onType: (t: Typed) => void }) {
  return (
    <fieldset>
      <legend className="font-semibold">How often, whichever comes first</legend>
      <div className="grid gap-3 sm:grid-cols-4">
        {UNITS.map(([unit, label]) => (
          <TextField
            key={unit}
            label={label}
            figure
            maxLength={12}
            value={typed[unit]}
            error={wrong[unit]}
            onText={(v) => onType({ ...typed, [unit]: v })}
          />
        ))}
      </div>
    </fieldset>
  );
}

const lines = (text: string) =>
  text
    .split("\n")
    .map((l) => l.trim())
    .filter(Boolean);

type Words = { label: string; minutes: string; steps: string; tools: string; caution: string; trouble: string };

function WordFields({ words, error, onWords }: { words: Words; error: unknown; onWords: (w: Words) => void }) {
  const wrong = (field: string) => fieldError(error, `mend.${field}`) ?? fieldError(error, field);
  return (
    <>
      <TextField
        label="Its name"
        required
        minLength={5}
        maxLength={80}
        value={words.label}
        error={wrong("label")}
        onText={(label) => onWords({ ...words, label })}
      />
      <TextField
        label="Minutes"
        figure
        required
        maxLength={6}
        value={words.minutes}
        error={wrong("minutes")}
        onText={(minutes) => onWords({ ...words, minutes })}
      />
      <LongField
        label="Steps"
        hint="One on a line."
        rows={4}
        required
        value={words.steps}
        error={wrong("steps")}
        onText={(steps) => onWords({ ...words, steps })}
      />
      <LongField
        label="Have at hand"
        hint="One on a line."
        rows={2}
        value={words.tools}
        onText={(tools) => onWords({ ...words, tools })}
      />
      <TextField
        label="Caution, where it can hurt someone"
        required
        minLength={3}
        value={words.caution}
        error={wrong("caution")}
        onText={(caution) => onWords({ ...words, caution })}
      />
      <TextField
        label="Look for"
        required
        minLength={3}
        value={words.trouble}
        error={wrong("trouble")}
        onText={(trouble) => onWords({ ...words, trouble })}
      />
    </>
  );
}

const wordsOf = (t: Task): Words => ({
  label: t.label,
  minutes: String(t.minutes),
  steps: t.steps.join("\n"),
  tools: t.tools.join("\n"),
  caution: t.caution,
  trouble: t.trouble,
});

export function ChangeTask({ t, model, leave }: { t: Task; model: number | null; leave: () => void }) {
  const [typed, setTyped] = useState(typedOf(t.every));
  const [words, setWords] = useState(wordsOf(t));
  const [off, setOff] = useState(t.off);
  const [why, setWhy] = useState("");
  const [tried, setTried] = useState(false);
  const { every, wrong } = everyOf(typed);
  const mine = t.changed.filter((c) => c.maker === (model !== null));
  const write = useTasksWrite(
    model,
    (told: { mend: Schemas["TaskMended"]; back: string[] }) =>
      got(
        api.POST("/api/service/tasks/{task}", {
          params: { path: { task: t.id } },
          body: { model_id: model, mend: told.mend, back: told.back, why },
        }),
      ),
    leave,
  );
  const send = () => {
    setTried(true);
    if (!every) return;
    const before = wordsOf(t);
    const now = { ...words, minutes: parseFigure(words.minutes) ?? 0 };
    const other = (field: keyof Words) => words[field] !== before[field];
    const mend: Schemas["TaskMended"] = {
      every: JSON.stringify(typed) === JSON.stringify(typedOf(t.every)) ? null : every,
      label: other("label") ? now.label : null,
      minutes: other("minutes") ? now.minutes : null,
      steps: other("steps") ? lines(now.steps) : null,
      tools: other("tools") ? lines(now.tools) : null,
      caution: other("caution") ? now.caution : null,
      trouble: other("trouble") ? now.trouble : null,
      off: off === t.off ? null : off,
    };
    write.mutate({ mend, back: [] });
  };
  return (
    <form
      className="grid gap-3 border-l-[5px] border-line pl-4"
      onSubmit={(e) => {
        e.preventDefault();
        send();
      }}
    >
      <EveryFields typed={typed} wrong={tried ? wrong : {}} onType={setTyped} />
      <label className="flex min-h-11 items-center gap-3">
        <input
          type="checkbox"
          className="h-5 w-5 accent-[var(--ink)]"
          checked={off}
          onChange={(e) => setOff(e.target.checked)}
        />
        It is not done {model === null ? "here" : "on these"}
      </label>
      <details>
        <summary className="min-h-11 cursor-pointer py-2 font-semibold">Its words</summary>
        <div className="grid gap-3">
          <WordFields words={words} error={write.error} onWords={setWords} />
        </div>
      </details>
      <TextField label="Why?" maxLength={300} value={why} onText={setWhy} />
      <ErrorNote error={write.error} />
      <div className="flex flex-wrap gap-3">
        <Button next type="submit" disabled={write.isPending}>
          {model === null ? "Keep it so for this workshop" : "Keep it as the maker's"}
        </Button>
        {mine.length ? (
          <Button disabled={write.isPending} onClick={() => write.mutate({ mend: {}, back: mine.map((c) => c.field) })}>
            As it came
          </Button>
        ) : null}
        <Button onClick={leave}>Leave it</Button>
      </div>
    </form>
  );
}

const STAGE: Record<string, string> = {
  vacuum: "with blowing out",
  wiring: "with the wiring",
  bolts: "with the bolts",
  guides: "with the guides",
  grub: "with the grub screws",
  lubricate: "with the oiling",
  drive: "with the filament drive",
  plate: "with the plate",
  screws: "with the lead screws",
  belts: "with the belts",
  hot: "with what is done hot",
  calibrate: "with the machine's calibration",
  test: "with the test part",
  paper: "with the paper",
};

export function AddTask({ all, model, leave }: { all: Tasks; model: number | null; leave: () => void }) {
  const [typed, setTyped] = useState(typedOf(null));
  const [words, setWords] = useState<Words>({
    label: "",
    minutes: "5",
    steps: "",
    tools: "",
    caution: "",
    trouble: "",
  });
  const [state, setState] = useState<Task["state"]>("unplugged");
  const [stage, setStage] = useState("guides");
  const [parts, setParts] = useState<string[]>([]);
  const [tried, setTried] = useState(false);
  const { every, wrong } = everyOf(typed);
  const add = useTasksWrite(
    model,
    (body: Schemas["OwnTaskIn"]) => got(api.POST("/api/service/tasks", { body })),
    leave,
  );
  return (
    <form
      className="grid gap-3 border-l-[5px] border-line pl-4"
      onSubmit={(e) => {
        e.preventDefault();
        setTried(true);
        if (!every) return;
        add.mutate({
          model_id: model,
          every,
          state,
          stage: stage as Schemas["OwnTaskIn"]["stage"],
          parts,
          label: words.label,
          minutes: parseFigure(words.minutes) ?? 0,
          steps: lines(words.steps),
          tools: lines(words.tools),
          caution: words.caution,
          trouble: words.trouble,
        });
      }}
    >
      <h2>{model === null ? "A task of your own" : "A task of its maker's"}</h2>
      <WordFields words={words} error={add.error} onWords={setWords} />
      <EveryFields typed={typed} wrong={tried ? wrong : {}} onType={setTyped} />
      <div className="grid gap-3 sm:grid-cols-2">
        <Field label="The machine is">
          {(fid) => (
            <select
              id={fid}
              className={INPUT}
              value={state}
              onChange={(e) => setState(e.target.value as Task["state"])}
            >
              {Object.entries(STATE).map(([id, label]) => (
                <option key={id} value={id}>
                  {label}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="In the round">
          {(fid) => (
            <select id={fid} className={INPUT} value={stage} onChange={(e) => setStage(e.target.value)}>
              {all.stages.map((s) => (
                <option key={s} value={s}>
                  {STAGE[s] ?? s}
                </option>
              ))}
            </select>
          )}
        </Field>
      </div>
      <details>
        <summary className="min-h-11 cursor-pointer py-2 font-semibold">
          Done to {parts.length ? parts.map((k) => all.kinds[k]).join(", ") : "the machine as a whole"}
        </summary>
        <fieldset className="grid gap-x-4 sm:grid-cols-3">
          <legend className="sr-only">Done to which parts</legend>
          {Object.entries(all.kinds).map(([kind, label]) => (
            <label key={kind} className="flex min-h-11 items-center gap-2">
              <input
                type="checkbox"
                className="h-5 w-5 accent-[var(--ink)]"
                checked={parts.includes(kind)}
                onChange={() => setParts(parts.includes(kind) ? parts.filter((k) => k !== kind) : [...parts, kind])}
              />
              {label}
            </label>
          ))}
        </fieldset>
      </details>
      <ErrorNote error={add.error} />
      <div className="flex flex-wrap gap-3">
        <Button next type="submit" disabled={add.isPending}>
          Add it
        </Button>
        <Button onClick={leave}>Leave it</Button>
      </div>
    </form>
  );
}
