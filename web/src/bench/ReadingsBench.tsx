/** Procedures whose readings are typed: deflection, tracking, ripples on a print. One page; what differs is data. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, got, newKey, type Schemas, send } from "../api/client";
import { Button, Caution, ErrorNote, Field, INPUT, Loading } from "../kit/bits";
import { parseFigure, type Quantity, sentence, show } from "../kit/figures";
import { type Column, ReadingsField, type Row } from "../kit/ReadingsField";
import { Sketch } from "../kit/Sketch";
import { Strip } from "../kit/Strip";
import { useMe } from "../session/me";
import { useBench } from "./BenchStart";
import { InstrumentChoice, rememberedInstrument } from "./InstrumentChoice";

type Bench = Schemas["BenchOut"];
type Belt = Schemas["BenchBelt"];
type Setting = {
  name: string;
  label: string;
  hint: string;
  start: (belt: Belt | undefined) => string;
  optional?: boolean;
};

type Form = {
  title: (place: string) => string;
  how: string[];
  caution: string;
  instruments: RegExp;
  columns: Column[];
  watch?: string;
  least: number;
  settings: Setting[];
  context: (rows: Row[], settings: Record<string, number | undefined>, place: string, belt: Belt | undefined) => object;
  headline: (
    found: Schemas["CaptureOut"]["found"],
  ) => { quantity: Quantity; low?: number | null; high?: number | null; words: string }[];
};

const FORMS: Record<string, Form> = {
  "belt-deflection": {
    title: (p) => `Press belt ${p.toUpperCase()}`,
    how: [
      "Head still. Find the middle of the free span.",
      "Hook the spring scale on the belt and pull square to it until it has moved 5 to 10 mm.",
      "Read the force and how far it moved. Three times, at two depths.",
    ],
    instruments: /scale/,
    caution: "Motors off and unplugged: the head must not move by itself while your hand is in the frame.",
    columns: [
      { name: "force_n", label: "Force", unit: "N", min: 0.01, max: 200 },
      { name: "deflection_mm", label: "Deflection", unit: "mm", min: 0.1, max: 100 },
    ],
    least: 1,
    settings: [
      {
        name: "span_mm",
        label: "Free span, mm",
        hint: "Pulley to clamp.",
        start: (b) => (b?.span_mm ? String(b.span_mm) : ""),
      },
      { name: "resolution_n", label: "Scale reads to, N", hint: "Its smallest step.", start: () => "0.1" },
      { name: "resolution_mm", label: "Rule reads to, mm", hint: "Its smallest step.", start: () => "0.5" },
    ],
    context: (readings, s, axis, belt) => ({
      ...s,
      readings,
      axis,
      axial_stiffness_n: belt?.axial_stiffness_n,
      loop_length_mm: belt?.belt.loop_length_mm,
      target_n: belt ? { low: belt.target_low_n, high: belt.target_high_n } : undefined,
    }),
    headline: (f) => ("stretch_share" in f ? [{ quantity: f.tension, words: "Tension" }] : []),
  },
  "belt-tracking": {
    title: (p) => `Does belt ${p.toUpperCase()} run true?`,
    how: [
      "Move the head by hand to one end, slowly.",
      "At the idler, measure the gap from the belt's edge to the upper and to the lower flange.",
      "The same in the middle and at the other end.",
    ],
    instruments: /gauge|caliper/,
    caution: "Unplugged. Motors pushed by hand make current: move slowly.",
    columns: [
      { name: "travel_mm", label: "Place", unit: "mm", min: -2000, max: 2000 },
      { name: "clearance_top_mm", label: "Above", unit: "mm", min: 0, max: 20 },
      { name: "clearance_bottom_mm", label: "Below", unit: "mm", min: 0, max: 20 },
    ],
    least: 2,
    settings: [
      { name: "limit_mm", label: "May wander, mm", hint: "0.2 is typical.", start: () => "0.2" },
      { name: "resolution_mm", label: "Gauge reads to, mm", hint: "Its smallest step.", start: () => "0.05" },
    ],
    context: (positions, s, axis) => ({ ...s, positions, axis }),
    headline: (f) =>
      "wander" in f
        ? [
            { quantity: f.wander, low: null, high: 0.2, words: "Wanders" },
            {
              quantity: f.smallest_clearance,
              words: f.touches === "none" ? "Smallest gap; touches nothing" : `Smallest gap; touches ${f.touches}`,
            },
          ]
        : [],
  },
  "ringing-print": {
    title: (p) => `Ripples along ${p.toUpperCase()}`,
    how: [
      "Light the wall from the side. Find a corner with echoes after it.",
      "Begin where the head has its full speed, past the ramp.",
      "Count ripples from crest to crest and measure their distance together. At two corners or more.",
    ],
    instruments: /caliper/,
    caution: "Take the part off with a flexible plate first; a blade slips towards the hand.",
    columns: [
      { name: "count", label: "Ripples", unit: "count", min: 1, max: 200 },
      { name: "distance_mm", label: "Over", unit: "mm", min: 0.1, max: 500 },
    ],
    least: 1,
    settings: [
      { name: "speed_mm_s", label: "Wall speed, mm/s", hint: "From the slicer's profile.", start: () => "" },
      {
        name: "acceleration_mm_s2",
        label: "Acceleration, mm/s²",
        hint: "Tells from where ripples count.",
        start: () => "",
        optional: true,
      },
      { name: "resolution_mm", label: "Caliper and eye, mm", hint: "0.2 is typical.", start: () => "0.2" },
    ],
    context: (ripples, s, axis) => ({ ...s, ripples, axis }),
    headline: (f) => ("undamped_frequency" in f ? [{ quantity: f.frequency, words: "Rings at" }] : []),
  },
};

export function ReadingsBench() {
  const params = useParams();
  const id = Number(params.id);
  const form = FORMS[params.procedure ?? ""];
  const bench = useBench(id);
  if (!form)
    return (
      <div className="sheet max-w-xl">
        <h1>There is no such measurement</h1>
        <Link to={`/bench/${id}`}>What can be measured here</Link>
      </div>
    );
  if (!bench.data) return bench.error ? <ErrorNote error={bench.error} /> : <Loading what="the bench" />;
  return (
    <Readings
      key={`${params.procedure}${params.place}`}
      form={form}
      procedure={params.procedure!}
      place={params.place!}
      id={id}
      bench={bench.data}
    />
  );
}

function Readings({
  form,
  procedure,
  place,
  id,
  bench,
}: {
  form: Form;
  procedure: string;
  place: string;
  id: number;
  bench: Bench;
}) {
  const client = useQueryClient();
  const [search] = useSearchParams();
  const caseId = search.get("case") ? Number(search.get("case")) : null;
  const belt = bench.belts.find((b) => b.place === place);
  const store = `readings-${id}-${procedure}-${place}`;
  // Typed readings outlive a reload and a dropped network.
  const [rows, setRows] = useState<Row[]>(() => JSON.parse(sessionStorage.getItem(store) ?? "[]"));
  const [texts, setTexts] = useState<Record<string, string>>(() =>
    Object.fromEntries(form.settings.map((s) => [s.name, s.start(belt)])),
  );
  const [key, setKey] = useState(newKey);
  const [instrument, setInstrument] = useState(() => rememberedInstrument(bench.instruments, form.instruments));
  useEffect(() => sessionStorage.setItem(store, JSON.stringify(rows)), [rows, store]);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  const settings = Object.fromEntries(
    form.settings.map((s) => [s.name, parseFigure(texts[s.name] ?? "") ?? undefined]),
  );
  const missing = form.settings.find((s) => !s.optional && settings[s.name] === undefined);
  const compute = useMutation({
    mutationFn: () => {
      if (missing) throw new Error(`${missing.label}: ${missing.hint} Enter a figure.`);
      const body = JSON.stringify({
        id: key,
        place,
        case_id: caseId,
        instrument_id: instrument,
        circumstances: {},
        context: form.context(rows, settings, place, belt),
      });
      return send<Schemas["CaptureOut"]>(`/api/printers/${id}/${procedure}`, body, key, "application/json");
    },
    onSuccess: () => {
      sessionStorage.removeItem(store);
      client.invalidateQueries();
    },
    // Another try after a correction is another capture.
    onError: (e) => "status" in e && e.status !== 0 && setKey(newKey()),
  });
  const capture = compute.data;
  return (
    <div className="grid items-start gap-5 lg:grid-cols-2">
      <section className="sheet grid gap-4">
        <h1>
          {bench.printer}: {form.title(place)}
        </h1>
        <div className="grid gap-4 sm:grid-cols-[180px_1fr]">
          {printer.data ? (
            <Sketch description={printer.data.description} lit={belt ? place : null} note={form.how[0]} plain={!belt} />
          ) : null}
          <ol className="grid content-start gap-2">
            {form.how.map((line, i) => (
              <li key={line}>
                <b className="mr-2 font-mono">{i + 1}</b>
                {line}
              </li>
            ))}
          </ol>
        </div>
        <Caution>{form.caution}</Caution>
        <div className="grid gap-3 sm:grid-cols-3">
          <InstrumentChoice
            instruments={bench.instruments}
            kinds={form.instruments}
            value={instrument}
            onChange={setInstrument}
          />
          {form.settings.map((s) => (
            <Field key={s.name} label={s.label} hint={s.hint}>
              {(fid, note) => (
                <input
                  id={fid}
                  aria-describedby={note}
                  inputMode="decimal"
                  className={`${INPUT} font-mono`}
                  value={texts[s.name]}
                  onChange={(e) => setTexts({ ...texts, [s.name]: e.target.value })}
                />
              )}
            </Field>
          ))}
        </div>
        {capture ? null : <ReadingsField columns={form.columns} rows={rows} onChange={setRows} watch={form.watch} />}
        <ErrorNote error={compute.error} />
        {capture ? (
          <Button
            className="justify-self-start"
            onClick={() => {
              compute.reset();
              setRows([]);
              setKey(newKey());
            }}
          >
            Measure again
          </Button>
        ) : (
          <Button
            next={rows.length >= form.least}
            className="justify-self-start"
            disabled={rows.length < form.least || compute.isPending}
            onClick={() => compute.mutate()}
          >
            Work it out
          </Button>
        )}
      </section>
      <section className="sheet grid gap-4" aria-live="polite">
        {capture ? (
          <Answer capture={capture} form={form} belt={belt} />
        ) : (
          <>
            <h2>Result</h2>
            <p>
              {rows.length < form.least
                ? `Enter ${form.least === 1 ? "a reading" : `${form.least} readings`} or more.`
                : "Ready to be worked out. More readings make it surer."}
            </p>
          </>
        )}
        {caseId ? (
          <Link to={`/cases/${caseId}`}>Back to the case</Link>
        ) : (
          <Link to={`/bench/${id}`}>Other measurements on {bench.printer}</Link>
        )}
      </section>
    </div>
  );
}

const VERDICT: Record<Schemas["CaptureOut"]["verdict"], string> = {
  in_tolerance: "Within its limits",
  watch: "Within its limits, near the edge",
  out_of_tolerance: "Outside its limits",
  cannot_tell: "Cannot tell yet",
  not_judged: "Measured",
};

function Answer({ capture, form, belt }: { capture: Schemas["CaptureOut"]; form: Form; belt: Belt | undefined }) {
  const me = useMe();
  const found = capture.found;
  return (
    <>
      <h1>{VERDICT[capture.verdict]}</h1>
      {form.headline(found).map((h, i) => {
        const s = show(h.quantity, me);
        const tension = h.quantity.unit === "N";
        const low = tension ? belt?.target_low_n : h.low;
        const high = tension ? belt?.target_high_n : h.high;
        return (
          <div key={h.words}>
            <p className="text-ink2">{h.words}</p>
            <p>
              <span className={i === 0 ? "figure" : "font-mono text-[26px] font-semibold"}>{s.value}</span>{" "}
              <span className="text-[18px] text-ink2">{s.unit}</span>
              {s.pm ? <span className="ml-2 font-mono text-ink2">± {s.pm}</span> : null}
            </p>
            {low != null || high != null ? <Strip label={h.words} quantity={h.quantity} low={low} high={high} /> : null}
          </div>
        );
      })}
      {"undamped_frequency" in found && found.count_from_mm != null ? (
        <p>
          Count only from {found.count_from_mm.toFixed(1)} mm after the corner: before, the head is still speeding up.
        </p>
      ) : null}
      {"undamped_frequency" in found && found.damping_ratio ? (
        <p>Damping {sentence(found.damping_ratio, me)}.</p>
      ) : null}
      {found.advice?.map((a) => (
        <p key={a.action} className="text-[19px]">
          <b>Do next. </b>
          {a.reason}
        </p>
      ))}
      {found.warnings?.map((w) => (
        <p key={w.code}>
          <b>Note.</b> {w.message}
        </p>
      ))}
      <p className="flex gap-4 text-[15px]">
        <a href={`/api/captures/${capture.id}/raw`}>The readings</a>
        <a href={`/api/captures/${capture.id}/result.json`}>Result as JSON</a>
        <a href={`/api/captures/${capture.id}/result.csv`}>as CSV</a>
      </p>
    </>
  );
}
