/** The certificate of a measurement: what was measured how and with what, its readings, its uncertainty line by line, and by which core. */
import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { ErrorNote, Loading } from "../kit/bits";
import { onDay, sentence } from "../kit/figures";
import { Strip } from "../kit/Strip";
import { FROM, placeName, VERDICT } from "../kit/words";
import { useMe } from "../session/me";
import { atTime, Facts, Paper } from "./Paper";

type Told = Schemas["Certificate"];
type Judged = {
  words: string;
  quantity: Schemas["Quantity"];
  limits?: { low?: number | null; high?: number | null } | null;
  source_of_limits?: string;
  verdict?: string;
};

export function Certificate() {
  const id = String(useParams().id);
  const found = useQuery({
    queryKey: ["certificate", id],
    queryFn: () => got(api.GET("/api/captures/{capture_id}/certificate", { params: { path: { capture_id: id } } })),
  });
  if (!found.data) return found.error ? <ErrorNote error={found.error} /> : <Loading what="the certificate" />;
  return <Shown t={found.data} />;
}

const three = (v: number) => String(Number(v.toPrecision(3)));

function Shown({ t }: { t: Told }) {
  const me = useMe();
  const c = t.capture;
  const judged = (c.found as { judged?: Judged[] }).judged ?? [];
  const warnings = (c.found as { warnings?: { message: string }[] }).warnings ?? [];
  return (
    <Paper head={`${t.printer}: ${t.question} ${onDay(c.taken_at)}`} back={`/machines/${c.printer_id}`}>
      <h1>{t.question}</h1>
      <Facts
        rows={[
          ["Machine", `${t.printer}, ${t.model}${t.serial ? `, number ${t.serial}` : ""}`],
          ["Place", placeName(c.place)],
          ["Measured", `${atTime(c.taken_at)} by ${c.taken_by}`],
          ["Procedure", `${c.procedure}, core ${c.core_version}`],
          ["Kept as", c.id],
          ["File", c.data_name ? `${c.data_name}, ${c.data_bytes} bytes` : ""],
          ["SHA-256", t.sha256 ? <span className="break-all font-mono">{t.sha256}</span> : ""],
        ]}
      />
      <h2>Result</h2>
      {judged.map((j) => (
        <figure key={j.words} className="mb-2">
          <figcaption>
            {j.words}: <b className="font-mono">{sentence(j.quantity, me)}</b>
            {j.limits && j.verdict ? `, ${VERDICT[j.verdict as keyof typeof VERDICT] ?? j.verdict}` : ""}
            {j.source_of_limits ? ` (limits: ${FROM[j.source_of_limits] ?? j.source_of_limits})` : ""}
          </figcaption>
          {j.limits ? <Strip label={j.words} quantity={j.quantity} low={j.limits.low} high={j.limits.high} /> : null}
        </figure>
      ))}
      {judged.length ? <p>Uncertainties are for 95 % coverage (JCGM 100:2008); decided by ISO 14253-1.</p> : null}
      {warnings.map((w) => (
        <p key={w.message}>
          <b>Note:</b> {w.message}
        </p>
      ))}
      <Uncertainty t={t} />
      <h2>Instrument</h2>
      {t.instrument ? <Instrument i={t.instrument} /> : <p>None was named.</p>}
      <h2>Told with it</h2>
      <table>
        <tbody>
          {t.told.map((x) => (
            <tr key={x.words}>
              <td>{x.words}</td>
              <td className="break-all font-mono">
                {x.value} {x.unit}
              </td>
              <td>{FROM[x.origin] ?? x.origin}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {t.rows.length ? <Readings rows={t.rows} more={t.more} /> : null}
      {t.how.length ? (
        <>
          <h2>How it is measured</h2>
          <ol className="list-decimal pl-5">
            {t.how.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ol>
        </>
      ) : null}
    </Paper>
  );
}

function Uncertainty({ t }: { t: Told }) {
  const b = t.budget;
  if (!b) return t.why_not ? <p>Where the uncertainty comes from is not told: {t.why_not}</p> : null;
  const unit = b.quantity.unit === "1" ? "" : ` ${b.quantity.unit}`;
  return (
    <>
      <h2>Where the uncertainty comes from</h2>
      <table>
        <thead>
          <tr>
            <th>Of: {b.words}</th>
            <th>Told as</th>
            <th>Gives</th>
            <th>Share</th>
          </tr>
        </thead>
        <tbody>
          {b.lines.map((line) => (
            <tr key={line.field}>
              <td>{line.words}</td>
              <td className="font-mono">
                {three(line.told)} {line.unit}
              </td>
              <td className="font-mono">
                ± {three(line.u95)}
                {unit}
              </td>
              <td className="font-mono">{(100 * line.share).toFixed(1)} %</td>
            </tr>
          ))}
          <tr>
            <td>Spread of the readings, and the method</td>
            <td />
            <td className="font-mono">
              ± {three(b.rest_u95)}
              {unit}
            </td>
            <td className="font-mono">{(100 * b.rest_share).toFixed(1)} %</td>
          </tr>
          <tr>
            <td>
              <b>Together</b>
            </td>
            <td />
            <td className="font-mono">
              <b>
                ± {three(b.quantity.u95 ?? 0)}
                {unit}
              </b>
            </td>
            <td />
          </tr>
        </tbody>
      </table>
      <p>Each was taken away by itself and the figure reckoned again, by core {t.core}; shares are of the squares.</p>
    </>
  );
}

function Instrument({ i }: { i: NonNullable<Told["instrument"]> }) {
  return (
    <Facts
      rows={[
        ["Name", `${i.name}, ${i.kind}`],
        ["Reads to", i.resolution == null ? "" : `${i.resolution} ${i.unit}`],
        ["Good to", i.u95 == null ? "not known" : `± ${i.u95} ${i.unit}`],
        [
          "Checked",
          i.checked_on
            ? `${onDay(i.checked_on)}${i.checked_against ? ` against ${i.checked_against}` : ""}`
            : "never, as far as anybody wrote down",
        ],
        ["Found", i.found_off],
        ["Check due", i.check_due ? onDay(i.check_due) : ""],
        ["In doubt", i.doubt],
      ]}
    />
  );
}

function Readings({ rows, more }: { rows: string[][]; more: number }) {
  const [head = [], ...body] = rows;
  return (
    <>
      <h2>Readings</h2>
      <table>
        <thead>
          <tr>
            {head.map((h) => (
              <th key={h}>{h}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {body.map((row, i) => (
            <tr key={i}>
              {row.map((cell, k) => (
                <td key={k} className="font-mono">
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {more ? <p>And {more} rows more; the file has them all.</p> : null}
    </>
  );
}
