/** The second picture, over a faint copy of the first: aimed with the camera, or chosen and laid over it by hand. */
import { type PointerEvent, useEffect, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { type Fit, laid } from "../kit/BeforeAfter";
import { Button, ErrorNote, FilePick, PICTURES } from "../kit/bits";
import { KeptNote } from "../offline/KeptNote";
import { useWrite } from "../offline/useEntries";
import type { Picture } from "./Pairs";
import { aboutCase } from "./writing";

type Case = Schemas["CaseOut"];
type Chosen = { file: File; src: string; width: number; height: number };

const PLAIN: Fit = { right: 0, down: 0, size: 1, turn: 0 };
/** So much darker or lighter is another light (typical). */
const OTHER_LIGHT = 0.25;

type Props = { c: Case; over: Picture; changed: (c: Case) => void; leave: () => void };

export function Retake({ c, over, changed, leave }: Props) {
  const [chosen, setChosen] = useState<Chosen | null>(null);
  const [fit, setFit] = useState<Fit>(PLAIN);
  const [error, setError] = useState("");
  const src = chosen?.src;
  useEffect(() => () => (src ? URL.revokeObjectURL(src) : undefined), [src]);
  const keep = useWrite<Case>(
    () =>
      aboutCase(c, "pictures", "a picture from the same place as before", [
        { name: "file", value: chosen!.file, file: chosen!.file.name },
        { name: "before", value: String(over.id) },
        { name: "fit", value: JSON.stringify(fit) },
      ]),
    (next) => {
      changed(next);
      leave();
    },
  );
  const take = async (file: File) => {
    setError("");
    try {
      const { width, height } = await createImageBitmap(file);
      setFit(PLAIN);
      setChosen({ file, src: URL.createObjectURL(file), width, height });
    } catch {
      setError("This is not a picture that can be shown.");
    }
  };
  return (
    <>
      <h2 className="!text-[19px] !text-ink">The same place, the same light</h2>
      {chosen ? (
        <Laying over={over} chosen={chosen} fit={fit} onFit={setFit} />
      ) : (
        <Aiming over={over} onTake={(f) => void take(f)} />
      )}
      {error ? (
        <p role="alert" className="font-semibold text-failed">
          {error}
        </p>
      ) : null}
      {keep.kept ? <KeptNote id={keep.kept}>both stand side by side then</KeptNote> : null}
      <ErrorNote error={keep.error} />
      <div className="flex flex-wrap gap-3">
        {chosen ? (
          <>
            <Button next disabled={keep.isPending || keep.kept !== null} onClick={() => keep.mutate()}>
              It fits: keep it
            </Button>
            <Button onClick={() => setChosen(null)}>Take it anew</Button>
          </>
        ) : (
          <FilePick label="Choose a picture" accept={PICTURES} onFile={(f) => void take(f)} camera />
        )}
        <Button onClick={leave}>Leave it</Button>
      </div>
    </>
  );
}

/** What the camera sees, under a faint copy of the first picture. */
function Aiming({ over, onTake }: { over: Picture; onTake: (f: File) => void }) {
  const video = useRef<HTMLVideoElement>(null);
  const [faint, setFaint] = useState(45);
  const [camera, setCamera] = useState<"asked" | "on" | "none">("asked");
  useEffect(() => {
    let stream: MediaStream | null = null;
    let here = true;
    const stop = () => {
      for (const track of stream?.getTracks() ?? []) track.stop();
    };
    const ask = navigator.mediaDevices?.getUserMedia({ video: { facingMode: "environment", width: { ideal: 1920 } } });
    (ask ?? Promise.reject(new Error("none"))).then(
      (got) => {
        stream = got;
        if (!here || !video.current) return stop();
        video.current.srcObject = got;
      },
      () => here && setCamera("none"),
    );
    return () => {
      here = false;
      stop();
    };
  }, []);
  const press = () => {
    const seen = video.current!;
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [seen.videoWidth, seen.videoHeight];
    canvas.getContext("2d")!.drawImage(seen, 0, 0);
    canvas.toBlob((b) => b && onTake(new File([b], "after.jpg", { type: "image/jpeg" })), "image/jpeg", 0.92);
  };
  return (
    <>
      <p className="text-ink2">
        {camera === "none"
          ? "No camera is to be had here, or it may not be used without a secure line. Take the picture with another and choose it: it is laid over the first by hand."
          : "Stand as then, with the light from the same side; move until the faint picture and the part lie on each other."}
      </p>
      {camera === "none" ? (
        <img
          src={`/api/pictures/${over.id}`}
          alt={over.words || "The picture of before"}
          className="w-full rounded-[3px]"
        />
      ) : (
        <div className="relative w-full overflow-hidden rounded-[3px] bg-well" style={frame(over)}>
          <video
            ref={video}
            autoPlay
            playsInline
            muted
            className="absolute h-full w-full object-cover"
            aria-label="What the camera sees"
            // Before the first picture there is nothing to take.
            onLoadedData={() => setCamera("on")}
          />
          <img
            src={`/api/pictures/${over.id}`}
            alt={over.words || "The picture of before, faint"}
            className="pointer-events-none absolute h-full w-full"
            style={{ opacity: faint / 100 }}
          />
        </div>
      )}
      {camera === "on" ? (
        <div className="flex flex-wrap items-center gap-4">
          <Button next onClick={press}>
            Take it
          </Button>
          <Slide label="How strong the faint copy is" value={faint} low={0} high={90} step={5} onChange={setFaint} />
        </div>
      ) : null}
    </>
  );
}

const frame = (p: { width: number; height: number }) => ({ aspectRatio: `${p.width} / ${p.height}` });

/** The second picture half seen over the first: moved by hand or arrow key, made larger, turned. */
function Laying({ over, chosen, fit, onFit }: { over: Picture; chosen: Chosen; fit: Fit; onFit: (f: Fit) => void }) {
  const box = useRef<HTMLDivElement>(null);
  const from = useRef<{ x: number; y: number; fit: Fit } | null>(null);
  const light = useLight(over, chosen);
  const f = { ...PLAIN, ...fit } as Required<Fit>;
  const moved = (right: number, down: number): Fit => ({
    ...f,
    right: Math.min(1, Math.max(-1, right)),
    down: Math.min(1, Math.max(-1, down)),
  });
  const drag = (e: PointerEvent) => {
    if (!from.current || !box.current) return;
    const r = box.current.getBoundingClientRect();
    const { x, y, fit: at } = from.current;
    onFit(moved((at.right ?? 0) + (e.clientX - x) / r.width, (at.down ?? 0) + (e.clientY - y) / r.height));
  };
  const step: Record<string, [number, number]> = {
    ArrowLeft: [-0.005, 0],
    ArrowRight: [0.005, 0],
    ArrowUp: [0, -0.005],
    ArrowDown: [0, 0.005],
  };
  return (
    <>
      <p className="text-ink2">Drag it, or use the arrow keys, until edges that did not change lie on each other.</p>
      <div
        ref={box}
        role="application"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: it is moved by the arrow keys
        tabIndex={0}
        aria-label="The new picture over the first: move it with the arrow keys"
        className="relative w-full cursor-move touch-none overflow-hidden rounded-[3px] bg-well"
        style={frame(over)}
        onPointerDown={(e) => {
          from.current = { x: e.clientX, y: e.clientY, fit: f };
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={drag}
        onPointerUp={() => {
          from.current = null;
        }}
        onKeyDown={(e) => {
          const by = step[e.key];
          if (!by) return;
          e.preventDefault();
          onFit(moved(f.right + by[0], f.down + by[1]));
        }}
      >
        <img
          src={`/api/pictures/${over.id}`}
          alt={over.words || "The picture of before"}
          className="absolute h-full w-full"
          draggable={false}
        />
        <img
          src={chosen.src}
          alt="The new picture, half seen"
          draggable={false}
          style={{ ...laid(fit, { ...over, src: "", alt: "" }, { ...chosen, alt: "" }), opacity: 0.55 }}
        />
      </div>
      <div className="flex flex-wrap gap-x-6 gap-y-2">
        <Slide
          label="Size"
          value={Math.round(100 * f.size)}
          low={50}
          high={200}
          step={1}
          unit="%"
          onChange={(v) => onFit({ ...f, size: v / 100 })}
        />
        <Slide
          label="Turned"
          value={f.turn}
          low={-30}
          high={30}
          step={0.5}
          unit="°"
          onChange={(turn) => onFit({ ...f, turn })}
        />
      </div>
      {light ? <p className="font-semibold text-watch">{light}</p> : null}
    </>
  );
}

type SlideProps = {
  label: string;
  value: number;
  low: number;
  high: number;
  step: number;
  unit?: string;
  onChange: (v: number) => void;
};

function Slide({ label, value, low, high, step, unit = "", onChange }: SlideProps) {
  return (
    <label className="inline-flex min-h-11 items-center gap-2 text-[15px] font-semibold">
      {label}
      <input
        type="range"
        min={low}
        max={high}
        step={step}
        value={value}
        className="w-40"
        onChange={(e) => onChange(Number(e.target.value))}
      />
      <span className="w-14 font-mono font-normal">
        {value}
        {unit}
      </span>
    </label>
  );
}

/** Whether the light is another than in the first picture, in words. */
function useLight(over: Picture, chosen: Chosen): string {
  const [words, setWords] = useState("");
  useEffect(() => {
    let here = true;
    const both = Promise.all([brightness(`/api/pictures/${over.id}?small=true`), brightness(chosen.src)]);
    both.then(
      ([first, second]) => here && setWords(lightWords(first, second)),
      () => undefined,
    );
    return () => {
      here = false;
    };
  }, [over.id, chosen.src]);
  return words;
}

export function lightWords(first: number, second: number): string {
  const change = second / Math.max(first, 1) - 1;
  if (Math.abs(change) < OTHER_LIGHT) return "";
  return `The light is another: ${change < 0 ? "darker" : "lighter"} by ${Math.round(100 * Math.abs(change))} %. What shows in a wall hangs on the light.`;
}

/** A picture's mean brightness, 0 to 255. */
async function brightness(src: string): Promise<number> {
  const image = new Image();
  image.src = src;
  await image.decode();
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [48, 48];
  const context = canvas.getContext("2d")!;
  context.drawImage(image, 0, 0, 48, 48);
  const { data } = context.getImageData(0, 0, 48, 48);
  let sum = 0;
  for (let i = 0; i < data.length; i += 4) sum += (data[i]! + data[i + 1]! + data[i + 2]!) / 3;
  return sum / (data.length / 4);
}
