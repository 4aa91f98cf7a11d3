/** Plucking one belt: where and how, the sound from microphone, file or stand-in, and what was heard in it. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, got, newKey, type Schemas, send } from "../api/client";
import { Button, Caution, ErrorNote, TextField, useKey } from "../kit/bits";
import { parseFigure, sentence } from "../kit/figures";
import { Sketch } from "../kit/Sketch";
import { SpectrumPlot, Waveform } from "../kit/SoundPlot";
import { type Plucked, plucked, pluckPath, sendOrKeep } from "../offline/entries";
import { KeptNote } from "../offline/KeptNote";
import { Company } from "../practice/Company";
import { useMe } from "../session/me";
import { InstrumentChoice, rememberedInstrument } from "./InstrumentChoice";
import { canRecord, type Live, Recorder } from "./recorder";
import { fileAsWav } from "./wav";

type Props = {
  printerId: number;
  printer: Schemas["BenchOut"];
  belt: Schemas["BenchBelt"];
  caseId: number | null;
  round: number;
  wanted: boolean;
  latest: Schemas["CaptureOut"] | null;
  onDone: () => void;
};

export function PluckPane({ printerId, printer, belt, caseId, round, wanted, latest, onDone }: Props) {
  const me = useMe();
  const [spanText, setSpanText] = useState(belt.span_mm ? String(belt.span_mm) : "");
  const [sentAs, setSentAs] = useState("");
  const [live, setLive] = useState<Live | null>(null);
  const microphones = printer.instruments.filter((i) => i.kind === "microphone");
  const [instrument, setInstrument] = useState(() => rememberedInstrument(microphones));
  const recorder = useRef<Recorder | null>(null);
  const fileInput = useRef<HTMLInputElement>(null);
  const span = parseFigure(spanText);
  const name = belt.place.toUpperCase();

  const meta = (id: string, source: Plucked["source"]): Plucked => ({
    id,
    place: belt.place,
    case_id: caseId,
    instrument_id: instrument,
    source,
    // What the model knows already is not said again.
    context: span !== null && span !== belt.span_mm ? { span_mm: span } : {},
    circumstances: belt.head_at ? { head_x_mm: belt.head_at.x ?? null, head_y_mm: belt.head_at.y ?? null } : {},
  });

  const take = useMutation({
    mutationFn: async (run: () => Promise<Schemas["CaptureOut"] | null>) => {
      if (span === null || span <= 0)
        throw new Error("Enter the free span: from where the belt leaves the pulley to where it is clamped, in mm.");
      return run();
    },
    onSuccess: (capture) => capture && onDone(),
  });

  const standIn = () =>
    take.mutate(() =>
      got(
        api.POST("/api/printers/{printer_id}/belt-pluck/stand-in", {
          params: { path: { printer_id: printerId } },
          body: { id: newKey(), place: belt.place, case_id: caseId, circumstances: {}, context: {}, seconds: 20 },
        }),
      ),
    );

  const fromFile = (file: File) =>
    take.mutate(async () => {
      const { wav, name: fileName, lossy } = await fileAsWav(file);
      const id = newKey();
      setSentAs(id);
      const recorded = { id, printerId, printer: printer.printer, wav, name: fileName };
      // What the core refuses is not worth keeping; what else is refused, the person may send again.
      return sendOrKeep(plucked(me, { ...recorded, meta: meta(id, lossy ? "lossy" : "file") }), { inForm: false });
    });

  async function start() {
    take.reset();
    try {
      recorder.current = await Recorder.start(setLive);
      setLive({ seconds: 0, level: 0, low: [], high: [], heard: null, dropped: false });
    } catch (e) {
      take.mutate(() => Promise.reject(e));
    }
  }

  const stop = () =>
    take.mutate(async () => {
      const r = recorder.current!;
      const { wav, chunks } = await r.stop();
      recorder.current = null;
      const recorded = { id: r.id, printerId, printer: printer.printer, wav, name: "microphone.wav" };
      const told = meta(r.id, "microphone");
      setSentAs(r.id);
      setLive(null);
      const finish = () =>
        send<Schemas["CaptureOut"]>(
          pluckPath(printerId, `recordings/${r.id}/finish?chunks=${chunks}`),
          JSON.stringify(told),
          // Sent whole after all, it is another write.
          `${r.id}-live`,
          "application/json",
        );
      return sendOrKeep(plucked(me, { ...recorded, meta: told }), {
        run: chunks === null ? undefined : finish,
        inForm: false,
      });
    });

  useEffect(() => () => void recorder.current?.abandon(), []);
  const ended = live !== null && live.seconds >= printer.recording_s;
  // A forgotten microphone ends by itself, as was said beforehand.
  useEffect(() => {
    if (ended && !take.isPending) stop();
  }, [ended]);
  const secure = canRecord();
  const recording = live !== null;
  useKey("1", take.isPending || !secure ? null : recording ? stop : start);
  useKey("2", take.isPending || recording ? null : () => fileInput.current?.click());
  useKey("3", take.isPending || recording || !printer.simulated ? null : standIn);

  return (
    <section className="sheet grid gap-4">
      <h2>
        Belt {name}, round {round}
      </h2>
      {recording ? (
        <Listening live={live} />
      ) : latest && !wanted ? (
        <Heard capture={latest} />
      ) : (
        <div className="grid gap-4 sm:grid-cols-[250px_1fr]">
          <Sketch
            description={describe(printer, belt)}
            lit={belt.place}
            note={`pluck the ${belt.span_name || "free span"}`}
          />
          <ol className="grid content-start gap-2 text-[18px]">
            <li>
              <b className="mr-2 font-mono">1</b>
              Motors off. Move the head once to and fro by hand, slowly, so that the runs even out; then{" "}
              {belt.head_at ? "to the position of the sketch" : "leave it, belt free over the whole span"}.
            </li>
            <li>
              <b className="mr-2 font-mono">2</b>Microphone within a hand of the <b>{belt.span_name || "lit span"}</b>.
            </li>
            <li>
              <b className="mr-2 font-mono">3</b>Lay a finger on the belt's other run: it rings along. Pluck this one
              like a string, five times, a second apart.
            </li>
            <li>
              <TextField
                label="Free span, mm"
                hint={
                  belt.span_mm
                    ? "From the model; measure it if the head stands elsewhere."
                    : "Measure it: pulley to clamp."
                }
                figure
                value={spanText}
                onText={setSpanText}
              />
            </li>
            <li>
              <InstrumentChoice fitting={microphones} value={instrument} onChange={setInstrument} />
            </li>
          </ol>
        </div>
      )}
      {recording ? null : (
        <Caution>
          Motors off while a hand is in the frame, and slowly by hand: a motor that is pushed makes current.
        </Caution>
      )}
      {recording ? null : <Company kind="procedure" name="belt-pluck" />}
      <ErrorNote error={take.error} />
      {take.data === null ? <KeptNote id={sentAs} /> : null}
      <div className="flex flex-wrap gap-3">
        {recording ? (
          <Button next keyHint="1" onClick={stop} disabled={take.isPending || live.seconds < 1}>
            Stop and hear
          </Button>
        ) : (
          <>
            <Button
              next={wanted && secure && !printer.simulated}
              keyHint="1"
              onClick={start}
              disabled={take.isPending || !secure}
            >
              {latest && !wanted ? "Record again" : "Record"}
            </Button>
            <Button keyHint="2" onClick={() => fileInput.current?.click()} disabled={take.isPending}>
              Load a recording
            </Button>
            {printer.simulated ? (
              <Button next={wanted} keyHint="3" onClick={standIn} disabled={take.isPending}>
                Let the stand-in pluck it
              </Button>
            ) : null}
          </>
        )}
        <input
          ref={fileInput}
          type="file"
          accept="audio/*,.wav"
          className="sr-only"
          aria-label="Recording of the plucked belt"
          tabIndex={-1}
          onChange={(e) => {
            const file = e.target.files?.[0];
            e.target.value = "";
            if (file) fromFile(file);
          }}
        />
      </div>
      {secure && !recording && !take.isPending ? (
        <p className="text-[15px] text-ink2">A recording ends by itself after {printer.recording_s} seconds.</p>
      ) : null}
      {take.isPending ? <p role="status">Listening to the recording …</p> : null}
      {secure ? null : (
        <p className="text-[15px] text-ink2">
          The browser gives the microphone only to secure pages. Start the workshop with TLS, or record with a phone and
          load the file.
        </p>
      )}
    </section>
  );
}

function describe(printer: Schemas["BenchOut"], belt: Schemas["BenchBelt"]): Schemas["Description"] {
  return {
    kinematics: printer.kinematics as Schemas["Description"]["kinematics"],
    transmissions: Object.fromEntries(printer.belts.map((b) => [b.place, b.belt])),
    homing: {},
    guides: {},
    travel: {},
    fans: [],
    pairs: belt.partner ? [[belt.place, belt.partner] as never] : [],
  };
}

function Listening({ live }: { live: Live }) {
  const heard = live.heard;
  const used = heard?.plucks.filter((p) => p.used).length ?? 0;
  const db = 20 * Math.log10(Math.max(live.level, 1e-4));
  const share = Math.min(1, Math.max(0, (db + 60) / 60));
  return (
    <div className="grid gap-3" role="status">
      <p className="text-[24px] font-bold">Pluck now, five times.</p>
      <Waveform low={live.low} high={live.high} seconds={live.seconds} plucks={heard?.plucks ?? []} />
      <div className="flex items-center gap-3">
        <span className="w-16">Level</span>
        <div
          className="h-5 flex-1 bg-well"
          role="meter"
          aria-label="Microphone level in dB"
          aria-valuemin={-60}
          aria-valuemax={0}
          aria-valuenow={Math.round(db)}
        >
          <div className="h-full bg-ink2" style={{ width: `${share * 100}%` }} />
        </div>
        <span className="w-20 text-right font-mono">{db.toFixed(0)} dB</span>
      </div>
      <p className="text-[19px]">
        {used ? `${used} good ${used === 1 ? "pluck" : "plucks"} so far` : "No pluck heard yet"}
        {heard?.frequency ? `, ${heard.frequency.value.toFixed(1)} Hz` : ""}.
        {live.level > 0.98 ? " Too loud: move the microphone away a little." : ""}
      </p>
      {live.dropped ? (
        <p>The network has dropped. Go on: the recording is kept here and sent when it is back.</p>
      ) : null}
    </div>
  );
}

/** What was heard in a capture: the sound with its plucks, the spectrum, the pitch and what may mislead. */
export function Heard({ capture }: { capture: Schemas["CaptureOut"] }) {
  const me = useMe();
  const found = capture.found;
  const view = useQuery({
    queryKey: ["view", capture.id],
    queryFn: () => got(api.GET("/api/captures/{capture_id}/view", { params: { path: { capture_id: capture.id } } })),
    staleTime: Number.POSITIVE_INFINITY,
    enabled: "plucks" in found,
  });
  if (!("plucks" in found)) return null;
  const bad = found.plucks.filter((p) => !p.used);
  return (
    <div className="grid gap-3">
      {view.data && !("time_s" in view.data) ? (
        <>
          <Waveform low={view.data.low} high={view.data.high} seconds={view.data.seconds} plucks={found.plucks} />
          <SpectrumPlot
            view={view.data}
            partials={found.partials}
            second={found.second_pitch?.value ?? null}
            name={`belt-${capture.place}-spectrum`}
          />
        </>
      ) : (
        <p className="text-ink2">Drawing the sound …</p>
      )}
      <p>
        Pitch <b className="font-mono">{sentence(found.frequency, me)}</b> from{" "}
        {found.plucks.filter((p) => p.used).length} plucks, freed of stiffness.
        {found.second_pitch ? (
          <>
            {" "}
            Beside it rings <b className="font-mono">{found.second_pitch.value.toFixed(1)} Hz</b>
            {found.second_level_db != null && found.second_level_db < 0
              ? `, ${Math.abs(found.second_level_db).toFixed(0)} dB lower`
              : ""}
            : another run or the other belt.
          </>
        ) : null}
      </p>
      {found.or_else ? (
        <div className="grid grid-cols-2 gap-3 border-l-[5px] border-watch pl-3">
          <p>
            Either <b className="font-mono">{sentence(found.tension, me)}</b>
            <span className="block text-[15px] text-ink2">at {found.frequency.value.toFixed(1)} Hz</span>
          </p>
          <p>
            or <b className="font-mono">{sentence(found.or_else.tension, me)}</b>
            <span className="block text-[15px] text-ink2">at {found.or_else.frequency.value.toFixed(1)} Hz</span>
          </p>
        </div>
      ) : null}
      {bad.map((p) => (
        <p key={p.at_s} className="text-[15px] text-off">
          ✕ at {p.at_s.toFixed(1)} s: {p.why_not}
        </p>
      ))}
      {found.warnings?.map((w) => (
        <p key={w.code} className="text-[16px]">
          <b>Note.</b> {w.message}
        </p>
      ))}
      <p className="flex gap-4 text-[15px]">
        <a href={`/api/captures/${capture.id}/raw`}>The recording</a>
        <a href={`/api/captures/${capture.id}/result.json`}>Result as JSON</a>
        <a href={`/api/captures/${capture.id}/result.csv`}>as CSV</a>
      </p>
    </div>
  );
}
