/** What came out: verdict, the figure on its strip, what to do, what to doubt, all else, what to measure next, and the files. */
import { type ReactNode, useEffect } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { show } from "../kit/figures";
import { Strip } from "../kit/Strip";
import { VERDICT } from "../kit/words";
import { useMe } from "../session/me";
import type { Drawing } from "./drawing";
import { benchPath, fitting } from "./paths";
import { Schools } from "./Turning";

type Capture = Schemas["CaptureOut"];
type Judged = Schemas["Judged"];

/** Where a limit is from, for who reads the strip. */
const SOURCE: Record<string, string> = {
  typical: "The limit is typical.",
  limit: "The limit is the workshop's.",
  typed: "The limit was typed for this reading.",
};

/** Beside the headline so many figures are shown, however they stand. */
const FEW = 3;
const STANDS = ["in_tolerance", "watch"];

/** What was judged, each on its strip where a limit applies; where that is from, if only typical. ``first``: the headline. */
export function Figures({ judged, first = false }: { judged: Judged[]; first?: boolean }) {
  const me = useMe();
  return judged.map((h) => {
    const s = show(h.quantity, me);
    return (
      <div key={h.words}>
        <p className="text-ink2">{h.words}</p>
        <p>
          <span className={first ? "figure" : "font-mono text-[26px] font-semibold"}>{s.value}</span>{" "}
          <span className="text-[18px] text-ink2">{s.unit}</span>
          {s.pm ? <span className="ml-2 font-mono text-ink2">{s.ends ?? `± ${s.pm}`}</span> : null}
        </p>
        {h.limits ? (
          <>
            <Strip label={h.words} quantity={h.quantity} low={h.limits.low} high={h.limits.high} />
            {SOURCE[h.source_of_limits ?? ""] ? (
              <p className="text-[15px] text-ink2">{SOURCE[h.source_of_limits!]}</p>
            ) : null}
          </>
        ) : null}
      </div>
    );
  });
}

type Advised = NonNullable<Capture["found"]["advice"]>[number];

/** ``leading``: where an advice that asks for a measurement leads to. */
export function Advice({
  found,
  leading = () => null,
}: {
  found: Pick<Capture["found"], "advice" | "warnings">;
  leading?: (advice: Advised) => ReactNode;
}) {
  return (
    <>
      {found.advice?.map((a, i) => (
        <p key={a.action + a.reason} className="text-[19px]">
          <b>{i ? "Then. " : "Do next. "}</b>
          {a.reason} {leading(a)}
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

/** How an instrument's own table was read: each column by the name that it has there. */
const readAs = (columns: Schemas["TableMap"]) =>
  [
    ...columns.columns.map((c) => `${c.column || `column ${c.number}`} as ${c.name}${c.unit ? ` in ${c.unit}` : ""}`),
    ...(columns.rate_hz ? [`time by ${columns.rate_hz} readings a second`] : []),
  ].join(", ");

function Files({ capture }: { capture: Capture }) {
  return (
    <p className="flex flex-wrap gap-x-4 text-[15px]">
      {capture.columns ? <span className="w-full text-ink2">Read {readAs(capture.columns)}.</span> : null}
      <a href={`/api/captures/${capture.id}/raw`}>{capture.data_name ? "The file as it came" : "The readings"}</a>
      <a href={`/api/captures/${capture.id}/result.json`}>Result as JSON</a>
      <a href={`/api/captures/${capture.id}/result.csv`}>as CSV</a>
    </p>
  );
}

/** To the measurement that an advice asks for. */
function Asked({ advice, bench, query }: { advice: Advised; bench: Schemas["BenchOut"]; query: string }) {
  const entry = bench.entries.find((e) => e.procedure === advice.measure);
  return entry ? (
    <Link to={benchPath(bench.printer_id, entry.procedure, fitting(entry, advice.target), query)}>{entry.short}</Link>
  ) : null;
}

/** What makes sense to measure next, and why. */
function NextMeasurement({
  next,
  printer,
  query,
}: {
  next: Schemas["NextHere"] | null;
  printer: number;
  query: string;
}) {
  if (!next) return null;
  return (
    <p>
      <b>Then measure. </b>
      {next.why} <Link to={benchPath(printer, next.procedure, next.place, query)}>{next.short}</Link>
    </p>
  );
}

type Props = {
  capture: Capture;
  bench: Schemas["BenchOut"];
  query: string;
  next: Schemas["NextHere"] | null;
  drawing?: Drawing;
  /** Under the advice: what is done about it. */
  children?: ReactNode;
};

export function Answer({ capture, bench, query, next, drawing = {}, children }: Props) {
  // What was typed is long: the answer begins at the top of the page.
  useEffect(() => {
    window.scrollTo({ top: 0 });
  }, []);
  const judged = drawing.silent?.(capture) ? [] : (capture.found.judged ?? []);
  const advised = capture.found.advice?.some((a) => a.measure === next?.procedure);
  const rest = judged.slice(1);
  // Of many, those that stand well are folded away.
  const many = rest.length > FEW;
  const folded = many ? rest.filter((j) => j.limits && STANDS.includes(j.verdict ?? "")) : [];
  const plain = rest.filter((j) => !folded.includes(j));
  return (
    <>
      <h1>{drawing.title?.(capture.found) ?? VERDICT[capture.verdict]}</h1>
      <Figures judged={judged.slice(0, 1)} first />
      <Advice found={capture.found} leading={(a) => <Asked advice={a} bench={bench} query={query} />} />
      {children}
      <Schools found={capture.found} />
      <Figures judged={plain} />
      {folded.length ? (
        <details className="border-y border-hair py-1">
          <summary className="min-h-11 cursor-pointer py-2 font-semibold">
            What else was measured, and is within its limits
          </summary>
          <Figures judged={folded} />
        </details>
      ) : null}
      {drawing.Result ? <drawing.Result capture={capture} bench={bench} query={query} /> : null}
      <NextMeasurement next={advised ? null : next} printer={bench.printer_id} query={query} />
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
