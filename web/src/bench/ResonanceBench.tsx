/** Resonance: shake an axis, see what rings and whether to believe it, what a shaper buys, and how it was before. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, got, newKey, type Schemas, send, upload } from "../api/client";
import { Button, Caution, Choices, ErrorNote, Field, FilePick, INPUT, Loading, Steps, TABLES } from "../kit/bits";
import { Curves, type Series } from "../kit/Curves";
import { ago, parseFigure, sentence } from "../kit/figures";
import { Sketch } from "../kit/Sketch";
import { TimeFrequency } from "../kit/TimeFrequency";
import { useMe } from "../session/me";
import { Advice, Figures, Files, NextMeasurement, WayBack } from "./Answer";
import { useBench } from "./BenchStart";
import { InstrumentChoice, rememberedInstrument } from "./InstrumentChoice";
import { ShaperTable } from "./ShaperTable";

type Capture = Schemas["CaptureOut"];
export type Found = Schemas["ResonanceResult"];
type Excitation = Schemas["RecordIn"]["excitation"];

const KINDS: { kind: Excitation; label: string; how: string }[] = [
  {
    kind: "sweep",
    label: "Sweep",
    how: "Short moves to and fro, from 5 up to 140 a second, in 20 seconds or more.",
  },
  {
    kind: "impulse",
    label: "Knocks",
    how: "Motors holding: knock the head along this direction with a knuckle, five times, a second apart.",
  },
  {
    kind: "ambient",
    label: "Any shaking",
    how: "Let it print, or move to and fro, for a minute while recording.",
  },
];
const WORDS: Record<string, string> = { a: "along diagonal A", b: "along diagonal B" };

export function ResonanceBench() {
  const params = useParams();
  const id = Number(params.id);
  const place = params.place!;
  const bench = useBench(id);
  if (!bench.data) return bench.error ? <ErrorNote error={bench.error} /> : <Loading what="the bench" />;
  return <Resonance key={place} id={id} place={place} bench={bench.data} />;
}

function Resonance({ id, place, bench }: { id: number; place: string; bench: Schemas["BenchOut"] }) {
  const [search] = useSearchParams();
  const caseId = search.get("case") ? Number(search.get("case")) : null;
  const query = caseId ? `?case=${caseId}` : "";
  const client = useQueryClient();
  const last = bench.last.find((l) => l.procedure === "resonance" && l.place === place);
  const [asked, setAsked] = useState<string | null>(search.get("capture") ?? null);
  const [again, setAgain] = useState(false);
  const shownId = asked ?? (again ? null : (last?.capture_id ?? null));
  const capture = useQuery({
    queryKey: ["capture", shownId],
    enabled: shownId !== null,
    queryFn: () => got(api.GET("/api/captures/{capture_id}", { params: { path: { capture_id: shownId! } } })),
  });
  const taken = (c: Capture) => {
    client.setQueryData(["capture", c.id], c);
    setAsked(c.id);
    setAgain(false);
    client.invalidateQueries({ queryKey: ["bench", id] });
    client.invalidateQueries({ queryKey: ["overlay"] });
    client.invalidateQueries({ queryKey: ["floor"] });
    if (caseId) client.invalidateQueries({ queryKey: ["case", caseId] });
  };
  const c = shownId ? capture.data : undefined;
  return (
    <div
      className={`grid items-start gap-5 ${c ? "lg:grid-cols-[minmax(0,440px)_minmax(0,1fr)]" : "lg:grid-cols-[minmax(0,7fr)_minmax(0,4fr)]"}`}
    >
      <section className="sheet grid gap-4">
        <h1>
          {bench.printer}: what rings {WORDS[place] ?? `along ${place.toUpperCase()}`}
        </h1>
        {c && "modes" in c.found ? (
          <Verdict
            capture={c}
            found={c.found}
            bench={bench}
            query={query}
            onAgain={() => {
              setAsked(null);
              setAgain(true);
            }}
          />
        ) : shownId && !capture.data ? (
          <Loading what="the last record" />
        ) : (
          <Take id={id} place={place} caseId={caseId} bench={bench} onTaken={taken} />
        )}
        <WayBack caseId={caseId} bench={bench} />
      </section>
      {c && "modes" in c.found ? (
        <Plots key={c.id} capture={c} found={c.found} bench={bench} />
      ) : (
        <section className="sheet grid gap-3">
          <h2 className="!text-[19px] !text-ink">Before you believe it</h2>
          <p>Play and drag come first: a loose head rings at another frequency each time, and no setting mends that.</p>
          <p>
            The sensor sits on the head, screwed or taped so that it cannot rattle, its arrows along the machine's axes.
          </p>
          <p>
            Record twice. Two records of the same direction that differ by more than their uncertainty say: something is
            loose.
          </p>
          {bench.kinematics === "corexy" ? (
            <p>
              Belts cross on this machine: record{" "}
              {["a", "b"].map((d, i) => (
                <span key={d}>
                  {i ? " and " : ""}
                  <Link to={`/bench/${id}/resonance/${d}${query}`}>diagonal {d.toUpperCase()}</Link>
                </span>
              ))}{" "}
              one after the other to compare belt with belt.
            </p>
          ) : null}
        </section>
      )}
    </div>
  );
}

function Take({
  id,
  place,
  caseId,
  bench,
  onTaken,
}: {
  id: number;
  place: string;
  caseId: number | null;
  bench: Schemas["BenchOut"];
  onTaken: (c: Capture) => void;
}) {
  const [kind, setKind] = useState<Excitation>("sweep");
  const [unit, setUnit] = useState("m/s2");
  const [limit, setLimit] = useState("0.12");
  const [key, setKey] = useState(newKey);
  const [share, setShare] = useState<number | null>(null);
  const [instrument, setInstrument] = useState(() => rememberedInstrument(bench.instruments, /accelerometer/));
  const onNetwork = bench.instruments.find((i) => i.id === instrument && i.on_network);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  const meta = () => {
    const smoothing = parseFigure(limit);
    if (!smoothing || smoothing <= 0) throw new Error("Smoothing limit: enter a figure above 0, 0.12 is typical.");
    return {
      id: key,
      place,
      case_id: caseId,
      instrument_id: instrument,
      excitation: kind,
      unit,
      smoothing_limit_mm: smoothing,
      circumstances: {},
    };
  };
  const settled = {
    onSuccess: onTaken,
    onError: (e: Error) => "status" in e && e.status !== 0 && setKey(newKey()),
    onSettled: () => setShare(null),
  };
  const file = useMutation({
    mutationFn: async (f: File) => {
      if (f.size > 50 * 1024 * 1024) throw new Error("The table is over 50 MB. A minute of recording is plenty.");
      const form = new FormData();
      form.append("meta", JSON.stringify(meta()));
      form.append("file", f);
      setShare(0);
      return upload<Capture>(`/api/printers/${id}/resonance`, form, key, setShare);
    },
    ...settled,
  });
  const device = useMutation({
    mutationFn: async (from: "instrument" | "stand-in") =>
      send<Capture>(
        `/api/printers/${id}/resonance/${from}`,
        JSON.stringify({ ...meta(), seconds: 20 }),
        key,
        "application/json",
      ),
    ...settled,
  });
  const busy = file.isPending || device.isPending;
  return (
    <>
      <div className="grid gap-4 sm:grid-cols-[150px_1fr]">
        {printer.data ? (
          <Sketch
            description={printer.data.description}
            lit={bench.belts.some((b) => b.place === place) ? place : null}
            note="Sensor on the head"
            plain
          />
        ) : null}
        <Steps
          lines={[
            "Sensor firmly on what moves this way: the head, or on a moving bed the bed. Cable loose enough to follow.",
            KINDS.find((k) => k.kind === kind)!.how,
            "Let it record here, or bring the table as CSV: time_s, ax, ay, az.",
          ]}
        />
      </div>
      <Caution>The head shakes fast and far: hands out, loose tools off the bed, nozzle cold.</Caution>
      <Choices
        label="How is it shaken?"
        options={KINDS.map((k) => ({ value: k.kind, label: k.label }))}
        value={kind}
        onChange={setKind}
      />
      <div className="grid gap-3 sm:grid-cols-3">
        <InstrumentChoice
          instruments={bench.instruments}
          kinds={/accelerometer/}
          value={instrument}
          onChange={setInstrument}
        />
        <Field label="Corners may round by, mm" hint="0.12 is typical.">
          {(fid, note) => (
            <input
              id={fid}
              aria-describedby={note}
              inputMode="decimal"
              className={`${INPUT} font-mono`}
              value={limit}
              onChange={(e) => setLimit(e.target.value)}
            />
          )}
        </Field>
        <Field label="The file's unit">
          {(fid) => (
            <select id={fid} className={INPUT} value={unit} onChange={(e) => setUnit(e.target.value)}>
              <option value="m/s2">m/s²</option>
              <option value="g">g</option>
              <option value="mm/s2">mm/s²</option>
            </select>
          )}
        </Field>
      </div>
      <div className="flex flex-wrap gap-3">
        {onNetwork ? (
          <Button next disabled={busy} onClick={() => device.mutate("instrument")}>
            Record 20 seconds
          </Button>
        ) : null}
        {bench.simulated ? (
          <Button next={!onNetwork} disabled={busy} onClick={() => device.mutate("stand-in")}>
            Shake the simulated machine
          </Button>
        ) : null}
        <FilePick
          label="Load a file"
          accept={TABLES}
          next={!bench.simulated && !onNetwork}
          disabled={busy}
          onFile={(f) => file.mutate(f)}
        />
      </div>
      {busy ? (
        <p role="status" className="grid gap-1">
          {share !== null && share < 1
            ? `Sending: ${Math.round(100 * share)} %`
            : device.isPending
              ? "Recording and working it out …"
              : "Sent. Working it out …"}
          {share !== null ? <progress className="w-full" max={1} value={share} aria-label="Sent so far" /> : null}
        </p>
      ) : null}
      <ErrorNote error={file.error ?? device.error} />
    </>
  );
}

function Verdict({
  capture,
  found,
  bench,
  query,
  onAgain,
}: {
  capture: Capture;
  found: Found;
  bench: Schemas["BenchOut"];
  query: string;
  onAgain: () => void;
}) {
  const me = useMe();
  const refused = !found.recommended;
  return (
    <div className="grid gap-3" aria-live="polite">
      <p className="text-[15px] text-ink2">
        <time title={new Date(capture.taken_at).toLocaleString()}>{ago(capture.taken_at)}</time> by {capture.taken_by}
        {capture.instrument ? `, ${capture.instrument}` : ""}
      </p>
      {refused ? <p className="text-[21px] font-semibold">No shaper is advised.</p> : null}
      {capture.verdict !== "cannot_tell" ? <Figures judged={found.judged ?? []} /> : null}
      {found.modes.length ? (
        <table className="w-full border-collapse text-[15px]">
          <thead>
            <tr className="text-left text-[15px] text-ink2">
              <th scope="col">Mode</th>
              <th scope="col">damping</th>
              <th scope="col">share</th>
            </tr>
          </thead>
          <tbody>
            {found.modes.map((m) => (
              <tr key={m.frequency.value} className="border-t border-hair font-mono">
                <td className="py-1">{sentence(m.frequency, me)}</td>
                <td>{sentence(m.damping_ratio, me)}</td>
                <td>{Math.round(100 * m.share)} %</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : null}
      <Advice found={capture.found} />
      {refused && capture.verdict !== "cannot_tell" ? <p>{found.why_not}</p> : null}
      <p className="text-[15px] text-ink2">
        {found.quality.seconds.toFixed(0)} s at {found.quality.sample_rate_hz.toFixed(0)} samples a second,{" "}
        {found.quality.coherence_or_snr_db.toFixed(0)} dB over the noise, clock steps vary by{" "}
        {found.quality.jitter_percent.toFixed(1)} %
        {found.quality.gaps ? `, ${found.quality.gaps} gap${found.quality.gaps > 1 ? "s" : ""}` : ""}.
      </p>
      <Button className="justify-self-start" onClick={onAgain}>
        Record again
      </Button>
      <NextMeasurement capture={capture} bench={bench} query={query} />
      <Files capture={capture} />
    </div>
  );
}

export function Plots({ capture, found, bench }: { capture: Capture; found: Found; bench: Schemas["BenchOut"] }) {
  const [shaper, setShaper] = useState<string | null>(found.recommended);
  const [tab, setTab] = useState("spectrum");
  const overlay = useQuery({
    queryKey: ["overlay", capture.id],
    queryFn: () => got(api.GET("/api/captures/{capture_id}/overlay", { params: { path: { capture_id: capture.id } } })),
  });
  const view = useQuery({
    queryKey: ["shaken", capture.id],
    enabled: tab === "time",
    queryFn: () => got(api.GET("/api/captures/{capture_id}/shaken", { params: { path: { capture_id: capture.id } } })),
  });
  const file = `${bench.printer}-${capture.place}-resonance`;
  const f = found.spectrum.frequency_hz;
  const chosen = found.shapers.find((s) => s.name === shaper);
  const series: Series[] = [{ name: "measured", x: f, y: found.spectrum.excited, look: "main" }];
  if (found.spectrum.fitted.length) series.push({ name: "fitted modes", x: f, y: found.spectrum.fitted, look: "fit" });
  if (chosen?.leaves?.length)
    series.push({ name: `${chosen.name.toUpperCase()} leaves`, x: f, y: chosen.leaves, look: "dots" });
  const earlier = overlay.data?.earlier ?? [];
  const other = overlay.data?.other ?? null;
  return (
    <section className="sheet grid gap-4">
      <Tabs.Root value={tab} onValueChange={setTab}>
        <Tabs.List aria-label="Plots" className="mb-3 flex flex-wrap gap-2">
          {[
            ["spectrum", "Spectrum"],
            ["time", "Time and frequency"],
            ["earlier", `Against earlier${earlier.length ? ` (${earlier.length})` : ""}`],
            ...(other || ["a", "b"].includes(capture.place) ? [["belts", "Belt against belt"]] : []),
          ].map(([value, label]) => (
            <Tabs.Trigger
              key={value}
              value={value!}
              className="min-h-11 rounded-[3px] border border-line px-3 data-[state=active]:border-ink data-[state=active]:bg-ink data-[state=active]:font-semibold data-[state=active]:text-sheet"
            >
              {label}
            </Tabs.Trigger>
          ))}
        </Tabs.List>
        <Tabs.Content value="spectrum" className="grid gap-4">
          <Curves
            series={series}
            marks={found.modes.map((m) => ({ x: m.frequency.value, label: `${m.frequency.value.toFixed(1)} Hz` }))}
            label={`Spectrum along ${capture.place.toUpperCase()} with ${found.modes.length} fitted modes`}
            name={`${file}-spectrum`}
            xUnit="Hz"
            yUnit="(mm/s²)²/Hz"
            decades={5}
          />
          <ShaperTable shapers={found.shapers} recommended={found.recommended} shown={shaper} onShow={setShaper} />
        </Tabs.Content>
        <Tabs.Content value="time">
          {view.data ? (
            <TimeFrequency view={view.data} name={`${file}-time`} marks={found.modes.map((m) => m.frequency.value)} />
          ) : view.error ? (
            <ErrorNote error={view.error} />
          ) : (
            <Loading what="the record" />
          )}
          <p className="text-[15px] text-ink2">
            Darker is louder. A sound axis follows the sweep in one line and is darkest where it crosses a mode; the
            command's own overtones run beside it. Lines below the sweep, or that begin, jump or stop by themselves,
            speak of play.
          </p>
        </Tabs.Content>
        <Tabs.Content value="earlier" className="grid gap-3">
          <Against
            capture={capture}
            found={found}
            earlier={earlier}
            baseline={overlay.data?.baseline ?? null}
            file={file}
          />
        </Tabs.Content>
        <Tabs.Content value="belts" className="grid gap-3">
          {other ? (
            <>
              <Curves
                series={[
                  {
                    name: `diagonal ${capture.place.toUpperCase()}`,
                    x: f,
                    y: relative(found.spectrum.excited),
                    look: "main",
                  },
                  {
                    name: `diagonal ${other.place.toUpperCase()}`,
                    x: other.frequency_hz,
                    y: relative(other.power),
                    look: "fit",
                  },
                ]}
                label="Spectra of the two diagonals on one plot"
                name={`${file}-belts`}
                xUnit="Hz"
                yUnit="share of the highest"
                decades={4}
              />
              <p className="text-[19px]">
                {other.compared?.words ?? "One of the two has no mode that could be compared."}
              </p>
            </>
          ) : (
            <p>
              Record{" "}
              <Link to={`/bench/${bench.printer_id}/resonance/${capture.place === "a" ? "b" : "a"}`}>
                the other diagonal
              </Link>
              , too: the two together compare belt with belt.
            </p>
          )}
        </Tabs.Content>
      </Tabs.Root>
    </section>
  );
}

/** Records are shaken unlike hard: their shapes are compared, not their heights. */
function relative(power: number[]): number[] {
  const top = Math.max(...power) || 1;
  return power.map((v) => v / top);
}

function Against({
  capture,
  found,
  earlier,
  baseline,
  file,
}: {
  capture: Capture;
  found: Found;
  earlier: Schemas["EarlierRecord"][];
  baseline: string | null;
  file: string;
}) {
  const looks = ["fit", "ghost", "dots"] as const;
  const drawn = earlier.slice(0, 2);
  const first = earlier.find((e) => e.capture_id === baseline);
  if (first && !drawn.includes(first)) drawn.push(first);
  if (!earlier.length)
    return <p>This is the first record of this direction. It is what later ones are held against.</p>;
  const day = (iso: string) => new Date(iso).toLocaleDateString("en", { day: "numeric", month: "short" });
  return (
    <>
      <Curves
        series={[
          { name: "now", x: found.spectrum.frequency_hz, y: relative(found.spectrum.excited), look: "main" },
          ...drawn.map((e, i) => ({
            name: `${day(e.at)}${e.capture_id === baseline ? ", first" : ""}`,
            x: e.frequency_hz,
            y: relative(e.power),
            look: looks[i]!,
          })),
        ]}
        label={`Spectrum along ${capture.place.toUpperCase()} against earlier records`}
        name={`${file}-earlier`}
        xUnit="Hz"
        yUnit="share of the highest"
        decades={4}
      />
      <ul className="rows">
        {earlier.map((e) => (
          <li key={e.capture_id} className="py-2">
            {e.compared?.words ?? `The record of ${day(e.at)} has no mode to compare.`}
          </li>
        ))}
      </ul>
      <p className="text-[15px] text-ink2">
        Stiffness goes with the square of the frequency, for a head of the same weight.
      </p>
    </>
  );
}
