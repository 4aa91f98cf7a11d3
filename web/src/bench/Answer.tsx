/** What came out: verdict, the figure on its strip, what to do, what to doubt, what to measure next, and the files. */
import { type ReactNode, useEffect } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { show } from "../kit/figures";
import { Strip } from "../kit/Strip";
import { useMe } from "../session/me";
import { CATALOG } from "./catalog";

type Capture = Schemas["CaptureOut"];
type Judged = Schemas["Judged"];

const VERDICT: Record<Capture["verdict"], string> = {
  in_tolerance: "Within its limits",
  watch: "Within its limits, near the edge",
  out_of_tolerance: "Outside its limits",
  cannot_tell: "Cannot tell yet",
  not_judged: "Measured",
};

/** After one measurement, the one that makes sense next. */
const NEXT: Record<string, [string, string]> = {
  resonance: ["ringing-print", "Print a corner and count: does the wall ring at the same frequency?"],
  "ringing-print": ["resonance", "Shake the axis: is it one mode, and is it linear?"],
  "ripple-source": ["resonance", "If it may be a resonance, shake the axis."],
  "layer-shift": ["belt-pluck", "Pluck the belts: a slack one jumps teeth."],
  steps: ["backlash", "Does it come back to the same place? Play looks like wrong steps."],
  backlash: ["resonance", "Play shows in the resonance, too: its frequency moves with how hard one shakes."],
  "motor-current": ["steps", "Does it still lose travel? A long travel test tells."],
  "belt-deflection": ["belt-tracking", "Does the belt run true on its idlers?"],
  "belt-tracking": ["belt-pluck", "Tipping a tensioner changes the tension: pluck it again."],
};

/** What was judged, the headline first, each on its strip where a limit applies; where that is from, if only typical. */
export function Figures({ judged }: { judged: Judged[] }) {
  const me = useMe();
  return judged.map((h, i) => {
    const s = show(h.quantity, me);
    return (
      <div key={h.words}>
        <p className="text-ink2">{h.words}</p>
        <p>
          <span className={i === 0 ? "figure" : "font-mono text-[26px] font-semibold"}>{s.value}</span>{" "}
          <span className="text-[18px] text-ink2">{s.unit}</span>
          {s.pm ? <span className="ml-2 font-mono text-ink2">± {s.pm}</span> : null}
        </p>
        {h.limits ? (
          <>
            <Strip label={h.words} quantity={h.quantity} low={h.limits.low} high={h.limits.high} />
            {h.source_of_limits === "typical" ? <p className="text-[15px] text-ink2">The limit is typical.</p> : null}
          </>
        ) : null}
      </div>
    );
  });
}

export function Advice({ found }: { found: Capture["found"] }) {
  return (
    <>
      {found.advice?.map((a, i) => (
        <p key={a.action + a.reason} className="text-[19px]">
          <b>{i ? "Then. " : "Do next. "}</b>
          {a.reason}
        </p>
      ))}
      {found.warnings?.map((w) => (
        <p key={w.code}>
          <b>Note.</b> {w.message}
        </p>
      ))}
    </>
  );
}

export function Files({ capture }: { capture: Capture }) {
  return (
    <p className="flex flex-wrap gap-x-4 text-[15px]">
      <a href={`/api/captures/${capture.id}/raw`}>{capture.data_name ? "The file as it came" : "The readings"}</a>
      <a href={`/api/captures/${capture.id}/result.json`}>Result as JSON</a>
      <a href={`/api/captures/${capture.id}/result.csv`}>as CSV</a>
    </p>
  );
}

export function NextMeasurement({
  capture,
  bench,
  query,
}: {
  capture: Capture;
  bench: Schemas["BenchOut"];
  query: string;
}) {
  const [procedure, words] = NEXT[capture.procedure] ?? [];
  const entry = CATALOG.find((e) => e.procedure === procedure);
  const places = entry?.places(bench) ?? [];
  const place = places.includes(capture.place) ? capture.place : places[0];
  if (!entry || !place) return null;
  return (
    <p>
      <b>Then measure. </b>
      {words} <Link to={entry.path(bench.printer_id, place) + query}>{entry.short}</Link>
    </p>
  );
}

type Props = {
  capture: Capture;
  bench: Schemas["BenchOut"];
  query: string;
  title?: string;
  children?: ReactNode;
};

export function Answer({ capture, bench, query, title, children }: Props) {
  // What was typed is long: the answer begins at the top of the page.
  useEffect(() => {
    window.scrollTo({ top: 0 });
  }, []);
  return (
    <>
      <h1>{title ?? VERDICT[capture.verdict]}</h1>
      <Figures judged={capture.found.judged ?? []} />
      <Advice found={capture.found} />
      {children}
      <NextMeasurement capture={capture} bench={bench} query={query} />
      <Files capture={capture} />
    </>
  );
}

/** Back to the case that asked for the measurement, or to what else can be measured. */
export function WayBack({ caseId, bench }: { caseId: number | null; bench: Schemas["BenchOut"] }) {
  return caseId ? (
    <Link to={`/cases/${caseId}`}>Back to the case</Link>
  ) : (
    <Link to={`/bench/${bench.printer_id}`}>Other measurements on {bench.printer}</Link>
  );
}
