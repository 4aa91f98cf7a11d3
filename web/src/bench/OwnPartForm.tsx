/** Entering a part of one's own: its picture or model, and its places, each pointed at on it. */
import { useMutation } from "@tanstack/react-query";
import { type PointerEvent, useEffect, useRef, useState } from "react";
import { newKey, Refusal, type Schemas, send } from "../api/client";
import { Button, Choices, ErrorNote, Field, FilePick, fieldError, INPUT, PICTURES, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { KeptNote } from "../offline/KeptNote";
import { useWrite } from "../offline/useEntries";
import { Lines, type OwnPart } from "./OwnParts";

type Place = OwnPart["places"][number];
type View = "top" | "front" | "side" | "corner";
type Spot = { x: number; y: number };
/** A place while it is typed. */
type Draft = {
  words: string;
  axis: Place["axis"];
  kind: Place["kind"];
  nominal: string;
  tolerance: string;
  line: Place["line"];
};
type Shown = { src: string; width: number; height: number };

const BLANK: Draft = { words: "", axis: "x", kind: "outer", nominal: "", tolerance: "", line: null };
const AXES = [
  ["x", "X, left to right"],
  ["y", "Y, front to rear"],
  ["z", "Z, height"],
] as const;
const KINDS = [
  ["outer", "outer size"],
  ["inner", "hole or slot"],
  ["centre", "between centres or like faces"],
] as const;
const MOST = 26;

const asDraft = (p: Place): Draft => ({
  words: p.words,
  axis: p.axis,
  kind: p.kind,
  nominal: String(p.nominal_mm),
  tolerance: p.tolerance_mm == null ? "" : String(p.tolerance_mm),
  line: p.line ?? null,
});

type Props = { part: OwnPart | null; changed: (parts: OwnPart[]) => void; leave: () => void };

export function OwnPartForm({ part, changed, leave }: Props) {
  const [name, setName] = useState(part?.name ?? "");
  const [words, setWords] = useState(part?.words ?? "");
  const [places, setPlaces] = useState<Draft[]>(part ? part.places.map(asDraft) : [BLANK]);
  const [now, setNow] = useState(0);
  const [file, setFile] = useState<File | null>(null);
  const [view, setView] = useState<View>("top");
  const [wrong, setWrong] = useState<Record<string, string>>({});
  const isModel = file?.name.toLowerCase().endsWith(".stl") ?? false;
  const shown = useShown(part, file, isModel, view);
  const keep = useWrite<OwnPart[], Schemas["OwnPartIn"]>((told) => {
    const about = "/bench";
    const said = `The part ${told.name}`;
    if (part) return { words: said, about, writes: [{ path: `/api/own-parts/${part.id}`, body: told }] };
    const body = [
      { name: "meta", value: JSON.stringify({ ...told, view }) },
      { name: "file", value: file!, file: file!.name },
    ];
    return { words: said, about, writes: [{ path: "/api/own-parts", body }] };
  }, changed);
  const put = (i: number, more: Partial<Draft>) => setPlaces(places.map((p, k) => (k === i ? { ...p, ...more } : p)));
  const send = () => {
    const bad: Record<string, string> = {};
    const told = places.map((p, i): Place => {
      const nominal = parseFigure(p.nominal);
      const tolerance = p.tolerance.trim() ? parseFigure(p.tolerance) : null;
      if (nominal === null || nominal <= 0) bad[`places.${i}.nominal_mm`] = "Enter its length in mm.";
      if (p.tolerance.trim() && (tolerance === null || tolerance <= 0))
        bad[`places.${i}.tolerance_mm`] = "Enter mm, or leave it empty.";
      return {
        words: p.words.trim(),
        axis: p.axis,
        kind: p.kind,
        nominal_mm: nominal ?? 0,
        tolerance_mm: tolerance,
        line: p.line,
      };
    });
    if (!part && !file) bad.file = "Choose its picture or its model.";
    setWrong(bad);
    if (!Object.keys(bad).length) keep.mutate({ name: name.trim(), words: words.trim(), places: told });
  };
  const said = (field: string) => wrong[field] ?? fieldError(keep.error, field);
  // A place has words, too: those of the part itself are meant only where nothing stands before them.
  const ofAll = (field: string) =>
    keep.error instanceof Refusal && keep.error.field === field ? keep.error.message : undefined;
  return (
    <section className="sheet grid gap-4">
      <h1 className="!text-[23px]">{part ? `Change ${part.name}` : "A part of our own"}</h1>
      <div className="grid gap-3 sm:grid-cols-2">
        <TextField label="Its name" value={name} maxLength={60} error={ofAll("name")} onText={setName} />
        <TextField
          label="What it is, in a line"
          value={words}
          maxLength={300}
          error={ofAll("words")}
          onText={setWords}
        />
      </div>
      {part ? null : (
        <div className="flex flex-wrap items-end gap-4">
          <FilePick
            label={file ? `Another than ${file.name}` : "Its picture, or its model (STL)"}
            accept={`.stl,${PICTURES}`}
            next={!file}
            onFile={setFile}
          />
          {isModel ? (
            <Choices
              label="Seen from"
              options={[
                { value: "top", label: "Above" },
                { value: "front", label: "The front" },
                { value: "side", label: "The right" },
                { value: "corner", label: "A corner" },
              ]}
              value={view}
              onChange={(v) => setView(v as View)}
            />
          ) : null}
        </div>
      )}
      {[wrong.file, shown.error ? String((shown.error as Error).message) : "", fieldError(keep.error, "file")].map(
        (w) =>
          w ? (
            <p key={w} role="alert" className="font-semibold text-failed">
              {w}
            </p>
          ) : null,
      )}
      <div className="grid items-start gap-5 lg:grid-cols-2">
        <ol className="grid gap-4">
          {places.map((p, i) => (
            <li
              key={i}
              className={`grid gap-2 border-l-4 pl-3 ${i === now ? "border-go" : "border-hair"}`}
              onFocus={() => setNow(i)}
            >
              <div className="grid gap-x-3 gap-y-2 sm:grid-cols-[minmax(0,1fr)_6rem_6rem]">
                <TextField
                  label={`${i + 1}. Where`}
                  value={p.words}
                  maxLength={40}
                  error={said(`places.${i}.words`)}
                  onText={(t) => put(i, { words: t })}
                />
                <TextField
                  label="mm"
                  figure
                  value={p.nominal}
                  error={said(`places.${i}.nominal_mm`)}
                  onText={(t) => put(i, { nominal: t })}
                />
                <TextField
                  label="± mm"
                  figure
                  value={p.tolerance}
                  error={said(`places.${i}.tolerance_mm`)}
                  onText={(t) => put(i, { tolerance: t })}
                />
              </div>
              <div className="grid gap-3 sm:grid-cols-2">
                <Pick
                  label="It runs along, as printed"
                  options={AXES}
                  value={p.axis}
                  onChange={(axis) => put(i, { axis })}
                />
                <Pick label="It is an" options={KINDS} value={p.kind} onChange={(kind) => put(i, { kind })} />
              </div>
              <p className="flex flex-wrap items-center gap-x-4 text-[15px] text-ink2">
                {p.line
                  ? "Pointed at."
                  : shown.data
                    ? "Point at its two ends on the picture."
                    : "It may be pointed at once the picture is there."}
                {places.length > 1 ? (
                  <button
                    type="button"
                    className="min-h-11 underline"
                    onClick={() => {
                      setPlaces(places.filter((_, k) => k !== i));
                      setNow(Math.max(0, i - 1));
                    }}
                  >
                    Take out place {i + 1}
                  </button>
                ) : null}
              </p>
            </li>
          ))}
        </ol>
        {shown.data ? (
          <Pointing shown={shown.data} places={places} now={now} onLine={(line) => put(now, { line })} />
        ) : null}
      </div>
      <div className="flex flex-wrap gap-3">
        <Button
          disabled={places.length >= MOST}
          onClick={() => {
            setPlaces([...places, { ...BLANK, axis: places[places.length - 1]?.axis ?? "x" }]);
            setNow(places.length);
          }}
        >
          Another place
        </Button>
        <Button next disabled={keep.isPending || keep.kept !== null} onClick={send}>
          {part ? "Keep it so" : "Enter it"}
        </Button>
        <Button onClick={leave}>Leave it</Button>
      </div>
      {keep.kept ? <KeptNote id={keep.kept}>it is offered then</KeptNote> : null}
      {keep.error && !/^(name|words|file|places\.)/.test(String("field" in keep.error ? keep.error.field : "")) ? (
        <ErrorNote error={keep.error} />
      ) : null}
    </section>
  );
}

type PickProps<T extends string> = {
  label: string;
  options: readonly (readonly [T, string])[];
  value: T;
  onChange: (v: T) => void;
};

function Pick<T extends string>({ label, options, value, onChange }: PickProps<T>) {
  return (
    <Field label={label}>
      {(id) => (
        <select id={id} className={INPUT} value={value} onChange={(e) => onChange(e.target.value as T)}>
          {options.map(([v, words]) => (
            <option key={v} value={v}>
              {words}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
}

/** What places are pointed at on: the kept picture, the chosen one, or the model as it would be drawn. */
function useShown(part: OwnPart | null, file: File | null, isModel: boolean, view: View) {
  const look = useMutation({
    mutationFn: async (): Promise<Shown | null> => {
      if (part) return { src: `/api/own-parts/${part.id}/picture`, width: part.width, height: part.height };
      if (!file) return null;
      if (isModel) {
        const form = new FormData();
        form.append("file", file, file.name);
        form.append("view", view);
        return send<Shown>("/api/own-parts/look", form, newKey());
      }
      const { width, height } = await createImageBitmap(file).catch(() => {
        throw new Error("This is not a picture that can be shown.");
      });
      return { src: URL.createObjectURL(file), width, height };
    },
  });
  const { mutate } = look;
  useEffect(() => mutate(), [mutate, file, view]);
  const src = look.data?.src;
  useEffect(() => () => (src?.startsWith("blob:") ? URL.revokeObjectURL(src) : undefined), [src]);
  return look;
}

const ARROWS: Record<string, Spot> = {
  ArrowLeft: { x: -1, y: 0 },
  ArrowRight: { x: 1, y: 0 },
  ArrowUp: { x: 0, y: -1 },
  ArrowDown: { x: 0, y: 1 },
};

/** The two ends of the place in hand: by two presses on the picture, or each end by the arrow keys. */
function Pointing({
  shown,
  places,
  now,
  onLine,
}: {
  shown: Shown;
  places: Draft[];
  now: number;
  onLine: (line: [Spot, Spot]) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [first, setFirst] = useState<Spot | null>(null);
  useEffect(() => setFirst(null), [now]);
  const at = (e: PointerEvent): Spot => {
    const r = box.current!.getBoundingClientRect();
    return { x: clamp((e.clientX - r.left) / r.width), y: clamp((e.clientY - r.top) / r.height) };
  };
  const line = places[now]?.line ?? null;
  const ends: [Spot, Spot] = line
    ? [line[0]!, line[1]!]
    : [
        { x: 0.3, y: 0.5 },
        { x: 0.7, y: 0.5 },
      ];
  const drawn = places.map((p) => ({ ...p, nominal_mm: 1, tolerance_mm: null }) as unknown as Place);
  return (
    <div className="grid gap-2 lg:sticky lg:top-4">
      <p className="text-[15px] text-ink2" aria-live="polite">
        {first ? `Now the other end of place ${now + 1}.` : `Press on one end of place ${now + 1}, then on the other.`}
      </p>
      <div
        ref={box}
        className="relative w-full cursor-crosshair touch-none"
        onPointerDown={(e) => {
          if ((e.target as HTMLElement).closest("button")) return;
          const spot = at(e);
          if (!first) return setFirst(spot);
          setFirst(null);
          onLine([first, spot]);
        }}
      >
        <img src={shown.src} alt="The part" className="block w-full rounded-[3px]" draggable={false} />
        <Lines places={drawn} now={now} width={shown.width} height={shown.height} />
        {first ? (
          <span
            className="pointer-events-none absolute h-3 w-3 -translate-x-1/2 -translate-y-1/2 rounded-full bg-go"
            style={pos(first)}
          />
        ) : null}
        {ends.map((end, k) => (
          <button
            key={k}
            type="button"
            className={`absolute h-6 w-6 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 border-go ${line ? "bg-transparent" : "opacity-0 focus:opacity-100"}`}
            style={pos(end)}
            aria-label={`${k ? "Other end" : "One end"} of place ${now + 1}: arrow keys move it`}
            onKeyDown={(e) => {
              const by = ARROWS[e.key];
              if (!by) return;
              e.preventDefault();
              const step = e.shiftKey ? 0.05 : 0.01;
              const moved = { x: clamp(end.x + step * by.x), y: clamp(end.y + step * by.y) };
              onLine(k ? [ends[0], moved] : [moved, ends[1]]);
            }}
          />
        ))}
      </div>
    </div>
  );
}

const clamp = (v: number) => Math.min(1, Math.max(0, v));
const pos = (s: Spot) => ({ left: `${100 * s.x}%`, top: `${100 * s.y}%` });
