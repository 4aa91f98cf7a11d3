/** A machine's book on paper: what it is, its limits with where they are from, what it has stored, its condition with the evidence, its parts, its record. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Field, INPUT, Loading } from "../kit/bits";
import { WORD } from "../kit/Condition";
import { onDay, sentence } from "../kit/figures";
import { Sketch } from "../kit/Sketch";
import { axisName, capital, FROM, KINEMATICS, placeName } from "../kit/words";
import { useMe } from "../session/me";
import { atTime, Facts, Paper } from "./Paper";

/** How far back the record goes, in days; and pages that are asked for at the most. */
const SPANS = [
  [30, "a month"],
  [91, "three months"],
  [365, "a year"],
  [3650, "ten years"],
] as const;
const MOST_PAGES = 60;
const FIT: Record<Schemas["ConditionOut"]["fitness"], string> = {
  fit: "Fit for use",
  rough_only: "Rough work only",
  in_service: "In service",
  look_first: "To be looked at first",
  tagged_out: "Tagged out",
  not_known: "Not known",
};

async function record(
  id: number,
  days: number,
): Promise<{ days: number; lines: Schemas["RecordLine"][]; cut: boolean }> {
  const since = Date.now() - days * 24 * 3600 * 1000;
  const lines: Schemas["RecordLine"][] = [];
  for (let page = 1; page <= MOST_PAGES; page++) {
    const told = await got(
      api.GET("/api/printers/{printer_id}/record", { params: { path: { printer_id: id }, query: { page } } }),
    );
    const within = told.lines.filter((l) => Date.parse(l.at) >= since);
    lines.push(...within);
    if (!told.more || within.length < told.lines.length) return { days, lines, cut: false };
  }
  return { days, lines, cut: true };
}

export function MachineBook() {
  const id = Number(useParams().id);
  const [days, setDays] = useState<number>(91);
  const at = { params: { path: { printer_id: id } } };
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", at)),
  });
  const stored = useQuery({
    queryKey: ["printer", id, "stored"],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/stored", at)),
  });
  const parts = useQuery({
    queryKey: ["printer", id, "components"],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/components", at)),
  });
  const lines = useQuery({
    queryKey: ["record", id, "book", days],
    queryFn: () => record(id, days),
    placeholderData: (before) => before,
  });
  const error = printer.error ?? stored.error ?? parts.error ?? lines.error;
  if (!printer.data || !stored.data || !parts.data || !lines.data)
    return error ? <ErrorNote error={error} /> : <Loading what="the book" />;
  const p = printer.data;
  const span = (
    <Field label="Record of">
      {(fid) => (
        <select id={fid} className={INPUT} value={days} onChange={(e) => setDays(Number(e.target.value))}>
          {SPANS.map(([n, words]) => (
            <option key={n} value={n}>
              {words}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  return (
    <Paper head={`The book of ${p.name}, ${onDay(new Date().toISOString())}`} back={`/machines/${id}`} above={span}>
      <h1>{p.name}</h1>
      <p>
        {FIT[p.condition.fitness]}
        {p.condition.reason ? `: ${p.condition.reason}` : ""}.
      </p>
      <div className="grid grid-cols-[60mm_1fr] items-start gap-4">
        <Sketch description={p.description} conditions={{}} />
        <Facts
          rows={[
            ["Model", p.model],
            ["Motion", capital(KINEMATICS[p.description.kinematics])],
            ["Stands in", p.area],
            ["Number", p.serial],
            ["In use since", p.in_use_since ? onDay(p.in_use_since) : ""],
            ["Under warranty until", p.warranty_until ? onDay(p.warranty_until) : ""],
            ["Has printed", parts.data.meter.value == null ? "not known" : `${Math.round(parts.data.meter.value)} h`],
          ]}
        />
      </div>
      <h2>Its condition, and how that is known</h2>
      <Condition p={p} />
      <h2>Limits, and where they are from</h2>
      {p.limits.length ? (
        <table>
          <tbody>
            {p.limits.map((l) => (
              <tr key={`${l.what}${l.place}`}>
                <td>
                  {capital(l.what.replaceAll("_", " "))}, {placeName(l.place)}
                </td>
                <td className="font-mono">
                  {l.low != null ? `${l.low} to ` : "up to "}
                  {l.high ?? "any"} {l.unit}
                </td>
                <td>{l.source}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p>None are told; the typical ones hold.</p>
      )}
      <h2>What it has stored</h2>
      <table>
        <tbody>
          {stored.data.stands.map((r) => (
            <tr key={r.id}>
              <td>{capital(r.words)}</td>
              <td className="font-mono">
                {r.value == null ? r.text : Number(r.value.toFixed(4))} {r.unit}
              </td>
              <td>
                {r.doubt ? `In doubt: ${r.doubt}. ` : ""}
                {r.reason} {onDay(r.at)}, {r.by}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {stored.data.stands.length ? null : <p>Nothing was written down.</p>}
      <h2>Its parts</h2>
      <table>
        <thead>
          <tr>
            <th>Part</th>
            <th>Condition</th>
            <th>Has run</th>
            <th>What tells of it</th>
          </tr>
        </thead>
        <tbody>
          {parts.data.parts.map((c) => (
            <tr key={c.id}>
              <td>
                {c.label}
                {c.type ? ` (${c.type.name})` : ""}
              </td>
              <td>{WORD[c.condition]}</td>
              <td className="whitespace-nowrap font-mono">
                {c.age_hours == null ? "not known" : `${c.age_estimated ? "about " : ""}${Math.round(c.age_hours)} h`}
              </td>
              <td>{c.speaks[0]?.words ?? c.would_tell}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <h2>Record of {SPANS.find(([n]) => n === lines.data.days)![1]}</h2>
      {lines.data.lines.length ? (
        <table>
          <tbody>
            {lines.data.lines.map((l) => (
              <tr key={`${l.at}${l.words}`}>
                <td className="whitespace-nowrap">{atTime(l.at)}</td>
                <td>{l.words}</td>
                <td>{l.who}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p>Nothing was written down.</p>
      )}
      {lines.data.cut ? <p>Older lines are left out: choose a shorter time.</p> : null}
    </Paper>
  );
}

function Condition({ p }: { p: Schemas["PrinterOut"] }) {
  const me = useMe();
  // A belt that drives two axes is told with the first.
  const told = new Set<string>();
  const fresh = (e: Schemas["EvidenceOut"]) => !told.has(e.capture_id) && told.add(e.capture_id);
  return (
    <table>
      <tbody>
        {p.condition.axes.flatMap((a) => [
          <tr key={a.axis}>
            <td>
              <b>{axisName(a.axis)}</b>
            </td>
            <td>
              <b>{WORD[a.condition]}</b>
            </td>
            <td>{a.why}</td>
          </tr>,
          ...a.places.flatMap((i) =>
            p.condition.places[i]!.evidence.filter(fresh).map((e) => (
              <tr key={`${a.axis}${e.capture_id}`}>
                <td />
                <td className="font-mono">{e.quantity ? sentence(e.quantity, me) : WORD[e.condition]}</td>
                <td>
                  {e.question} {e.words}. {onDay(e.at)}
                  {e.in_doubt ? ", in doubt since" : ""}
                  {e.source_of_limits ? `; limits: ${FROM[e.source_of_limits] ?? e.source_of_limits}` : ""}
                </td>
              </tr>
            )),
          ),
        ])}
      </tbody>
    </table>
  );
}
