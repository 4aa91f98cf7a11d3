/** Does an axis come back to the same place: a dial indicator, a program of moves, readings in the program's own order. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useParams, useSearchParams } from "react-router";
import { api, got, newKey, type Schemas, send, upload } from "../api/client";
import { Button, Caution, ErrorNote, Field, FilePick, INPUT, Loading, Steps, TABLES } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { ReadingsField, type Row } from "../kit/ReadingsField";
import { Sketch } from "../kit/Sketch";
import { Answer, WayBack } from "./Answer";
import { useBench } from "./BenchStart";
import { InstrumentChoice, rememberedInstrument } from "./InstrumentChoice";
import { ReversalLive, ReversalPlot } from "./ReversalPlot";

type Capture = Schemas["CaptureOut"];
type Reading = Schemas["ReversalReading"];

const FIELDS = [
  { name: "start_mm", label: "First target, mm", hint: "Well away from the frame.", start: "100" },
  { name: "step_mm", label: "Step, mm", hint: "Within the indicator's reach.", start: "2" },
  { name: "targets", label: "Targets", hint: "Three or more.", start: "5" },
  { name: "cycles", label: "Cycles", hint: "Five for a standard figure.", start: "5" },
  { name: "low_mm", label: "Axis begins at, mm", hint: "Its soft limit.", start: "0" },
  { name: "high_mm", label: "Axis ends at, mm", hint: "Its soft limit.", start: "200" },
  { name: "limit_mm", label: "May differ by, mm", hint: "0.05 is typical.", start: "0.05" },
  { name: "resolution_mm", label: "Reads to, mm", hint: "Its smallest step.", start: "0.01" },
] as const;

/** Targets and sides in the order in which the program stops at them: up through all (+), then down (−). */
export function order(start: number, step: number, targets: number, cycles: number): Omit<Reading, "reading_mm">[] {
  const up = Array.from({ length: targets }, (_, i) => Number((start + i * step).toFixed(4)));
  const down = [...up].reverse();
  return Array.from({ length: cycles }, () => [
    ...up.map((t) => ({ target_mm: t, approach: "+" as const })),
    ...down.map((t) => ({ target_mm: t, approach: "-" as const })),
  ]).flat();
}

export function ReversalBench() {
  const params = useParams();
  const id = Number(params.id);
  const bench = useBench(id);
  if (!bench.data) return bench.error ? <ErrorNote error={bench.error} /> : <Loading what="the bench" />;
  return <Reversal key={params.place} id={id} axis={params.place!} bench={bench.data} />;
}

function Reversal({ id, axis, bench }: { id: number; axis: string; bench: Schemas["BenchOut"] }) {
  const [search] = useSearchParams();
  const caseId = search.get("case") ? Number(search.get("case")) : null;
  const store = `readings-${id}-backlash-${axis}`;
  const [rows, setRows] = useState<Row[]>(() => JSON.parse(sessionStorage.getItem(store) ?? "[]"));
  const [texts, setTexts] = useState<Record<string, string>>(() => ({
    ...Object.fromEntries(FIELDS.map((f) => [f.name, f.start])),
    ...JSON.parse(localStorage.getItem(`settings-${id}-backlash-${axis}`) ?? "{}"),
  }));
  const [given, setGiven] = useState<Reading[] | null>(null);
  const [key, setKey] = useState(newKey);
  const [instrument, setInstrument] = useState(() => rememberedInstrument(bench.instruments, /indicator/));
  useEffect(() => sessionStorage.setItem(store, JSON.stringify(rows)), [rows, store]);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  const n = (name: string) => parseFigure(texts[name] ?? "");
  const whole = (name: string) => Math.min(20, Math.max(1, Math.round(n(name) ?? 1)));
  const plan = order(n("start_mm") ?? 0, n("step_mm") ?? 1, whole("targets"), whole("cycles"));
  const readings: Reading[] =
    given ?? rows.slice(0, plan.length).map((r, i) => ({ ...plan[i]!, reading_mm: r.reading_mm! }));
  const wrong = FIELDS.find((f) => n(f.name) === null);
  const about = () => {
    if (wrong) throw new Error(`${wrong.label}: enter a figure.`);
    localStorage.setItem(`settings-${id}-backlash-${axis}`, JSON.stringify(texts));
    return {
      id: key,
      place: axis,
      case_id: caseId,
      instrument_id: instrument,
      circumstances: {},
      context: { axis, limit_mm: n("limit_mm"), resolution_mm: n("resolution_mm") },
    };
  };
  const settled = {
    onSuccess: () => sessionStorage.removeItem(store),
    onError: (e: Error) => "status" in e && e.status !== 0 && setKey(newKey()),
  };
  const typed = useMutation({
    mutationFn: async () =>
      send<Capture>(
        `/api/printers/${id}/backlash`,
        JSON.stringify({ ...about(), rows: readings }),
        key,
        "application/json",
      ),
    ...settled,
  });
  const file = useMutation({
    mutationFn: async (f: File) => {
      const form = new FormData();
      form.append("meta", JSON.stringify(about()));
      form.append("file", f);
      return upload<Capture>(`/api/printers/${id}/backlash/file`, form, key, () => {});
    },
    ...settled,
  });
  const practice = useMutation({
    mutationFn: () =>
      got(
        api.GET("/api/printers/{printer_id}/practice-readings", {
          params: { path: { printer_id: id }, query: { procedure: "backlash", place: axis } },
        }),
      ),
    onSuccess: (read) => setGiven(read.rows as unknown as Reading[]),
  });
  const capture = typed.data ?? file.data;
  const again = () => {
    typed.reset();
    file.reset();
    setRows([]);
    setGiven(null);
    setKey(newKey());
  };
  const next = plan[rows.length];
  const query = new URLSearchParams({
    axis,
    ...Object.fromEntries(FIELDS.slice(0, 6).map((f) => [f.name, String(n(f.name) ?? "")])),
  });
  return (
    <div className="grid items-start gap-5 lg:grid-cols-2">
      <section className="sheet grid gap-4">
        <h1>
          {bench.printer}: does {axis.toUpperCase()} come back to the same place?
        </h1>
        <div className="grid gap-4 sm:grid-cols-[150px_1fr]">
          {printer.data ? (
            <Sketch
              description={printer.data.description}
              lit={bench.belts.some((b) => b.place === axis) ? axis : null}
              note="Indicator on the head"
              plain
            />
          ) : null}
          <Steps
            lines={[
              "Indicator on the frame, its stylus on the head (or bed), square to the travel, with reach to spare on both sides. It shows the axis's own scale at the first target.",
              "Home, then run the moves below: each target from below (+), then from above (−). It waits at each for your reading.",
              "Type what the indicator shows: figure, Enter, and on.",
            ]}
          />
        </div>
        <Caution>
          Slow moves, nozzle cold, hands out between readings. Keep a finger on the power switch for the first pass.
        </Caution>
        <div className="grid gap-3 sm:grid-cols-4">
          {FIELDS.map((f) => (
            <Field key={f.name} label={f.label} hint={f.hint}>
              {(fid, note) => (
                <input
                  id={fid}
                  aria-describedby={note}
                  inputMode="decimal"
                  className={`${INPUT} font-mono`}
                  disabled={capture !== undefined}
                  value={texts[f.name]}
                  onChange={(e) => setTexts({ ...texts, [f.name]: e.target.value })}
                />
              )}
            </Field>
          ))}
        </div>
        <div className="grid gap-3 sm:grid-cols-2">
          <InstrumentChoice
            instruments={bench.instruments}
            kinds={/indicator/}
            value={instrument}
            onChange={setInstrument}
          />
          <p className="self-end pb-3">
            <a href={`/api/programs/reversal.gcode?${query}`} download>
              The moves as G-code
            </a>
          </p>
        </div>
        {capture ? (
          <Button className="justify-self-start" onClick={again}>
            Measure again
          </Button>
        ) : given ? (
          <div className="flex items-center gap-4">
            <p>{given.length} readings of the simulated machine.</p>
            <Button onClick={() => setGiven(null)}>Type instead</Button>
          </div>
        ) : (
          <>
            {next ? (
              <p className="text-[21px] font-semibold" aria-live="polite">
                Now {next.target_mm} mm, from {next.approach === "+" ? "below (+)" : "above (−)"},{" "}
                <span className="font-normal text-ink2">
                  reading {rows.length + 1} of {plan.length}
                </span>
              </p>
            ) : (
              <p className="text-[21px] font-semibold">All {plan.length} readings are in.</p>
            )}
            <ReadingsField
              columns={[{ name: "reading_mm", label: "Indicator", unit: "mm", min: -2000, max: 2000 }]}
              rows={rows}
              onChange={setRows}
              most={plan.length}
              steady={false}
            />
          </>
        )}
        {capture ? null : (
          <div className="flex flex-wrap gap-3">
            <Button
              next={readings.length >= 4 && (given !== null || !next)}
              disabled={readings.length < 4 || typed.isPending}
              onClick={() => typed.mutate()}
            >
              Work it out
            </Button>
            <FilePick label="Load a table" accept={TABLES} onFile={(f) => file.mutate(f)} />
            {bench.simulated ? (
              <Button disabled={practice.isPending} onClick={() => practice.mutate()}>
                Read the simulated machine
              </Button>
            ) : null}
          </div>
        )}
        <ErrorNote error={typed.error ?? file.error ?? practice.error} />
      </section>
      <section className={`sheet grid gap-4 ${capture ? "" : "lg:sticky lg:top-4"}`} aria-live="polite">
        {capture && "per_target" in capture.found ? (
          <Answer capture={capture} bench={bench} query={caseId ? `?case=${caseId}` : ""}>
            <ReversalPlot found={capture.found} />
          </Answer>
        ) : (
          <>
            <h2>Result</h2>
            <ReversalLive readings={readings} />
            <p>Two cycles at the least; five for figures that compare with others' (ISO 230-2).</p>
            <p>A table may be loaded, too: columns target_mm, approach (+ or −), reading_mm.</p>
          </>
        )}
        <WayBack caseId={caseId} bench={bench} />
      </section>
    </div>
  );
}
