/** A case on paper, for the record or the maker's warranty: complaint, what was found, before and after, what was done, cause, what is in doubt now. */
import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { STATE } from "../case/CaseList";
import { ErrorNote, Loading } from "../kit/bits";
import { onDay, sentence } from "../kit/figures";
import { Strip } from "../kit/Strip";
import { FROM, placeName, VERDICT } from "../kit/words";
import { useBaseline } from "../machine/InDoubt";
import { useMe } from "../session/me";
import { atTime, Facts, Paper } from "./Paper";

type Pair = Schemas["PairOut"];
type Measured = Schemas["MeasuredOut"];

export function CaseReport() {
  const id = Number(useParams().id);
  const found = useQuery({
    queryKey: ["case", id],
    queryFn: () => got(api.GET("/api/cases/{case_id}", { params: { path: { case_id: id } } })),
  });
  const pairs = useQuery({
    queryKey: ["case", id, "measured"],
    queryFn: () => got(api.GET("/api/cases/{case_id}/measured", { params: { path: { case_id: id } } })),
  });
  if (!found.data || !pairs.data)
    return found.error || pairs.error ? (
      <ErrorNote error={found.error ?? pairs.error} />
    ) : (
      <Loading what="the report" />
    );
  return <Told c={found.data} pairs={pairs.data} />;
}

function Told({ c, pairs }: { c: Schemas["CaseOut"]; pairs: Pair[] }) {
  const machine = c.printer_id;
  const printer = useQuery({
    queryKey: ["printer", machine],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: machine } } })),
  });
  const stored = useQuery({
    queryKey: ["printer", machine, "stored"],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/stored", { params: { path: { printer_id: machine } } })),
  });
  const plan = useBaseline(machine);
  if (!printer.data || !stored.data || !plan.data)
    return printer.error || stored.error || plan.error ? (
      <ErrorNote error={printer.error ?? stored.error ?? plan.error} />
    ) : (
      <Loading what="the machine" />
    );
  const p = printer.data;
  const firmware = stored.data.stands.filter((r) => r.value == null);
  const last = new Map(c.observations.map((o) => [`${o.finding} ${o.axis}`, o]));
  const seen = [...last.values()];
  const line = (o: Schemas["ObservationOut"]) =>
    `${o.label}${o.axis ? `, ${placeName(o.axis)}` : ""}${o.value != null ? `: ${o.value} ${o.unit ?? ""}` : ""}${o.note ? `. ${o.note}` : ""}`;
  return (
    <Paper head={`Case ${c.id}, ${c.printer}: ${c.title}`} back={`/cases/${c.id}`}>
      <h1>{c.title}</h1>
      <p>
        Case {c.id}, {c.printer}. {c.closing || STATE[c.state]}.
      </p>
      <Facts
        rows={[
          ["Machine", `${p.name}, ${p.model}`],
          ["Number", p.serial],
          ["In use since", p.in_use_since ? onDay(p.in_use_since) : ""],
          ["Under warranty until", p.warranty_until ? onDay(p.warranty_until) : ""],
          ...firmware.map((r): [string, string] => [r.words, `${r.text}${r.doubt ? ` (in doubt: ${r.doubt})` : ""}`]),
          ["Reported", `${atTime(c.reported_at)}, ${c.reported_by}`],
          ["Since when", c.since],
          ["Closed", c.closed_at ? atTime(c.closed_at) : ""],
          ["Cause", c.cause],
        ]}
      />
      {c.words ? (
        <>
          <h2>In their words</h2>
          <p>{c.words}</p>
        </>
      ) : null}
      <h2>What was found</h2>
      <Lines words="Seen" rows={seen.filter((o) => o.state === "present").map(line)} />
      <Lines words="Looked for, and not there" rows={seen.filter((o) => o.state === "absent").map(line)} />
      {pairs.length ? <h2>Measured{pairs.some((x) => !x.once) ? ", before and after" : ""}</h2> : null}
      {pairs.map((x) => (
        <BeforeAfter key={`${x.procedure}${x.place}`} x={x} />
      ))}
      {c.pictures.length ? <h2>Pictures</h2> : null}
      <div className="grid grid-cols-2 gap-4">
        {c.pictures.map((picture) => (
          <figure key={picture.id}>
            <img src={`/api/pictures/${picture.id}`} alt={picture.words || `Picture by ${picture.by}`} />
            <figcaption>
              {picture.words} {picture.by}, {atTime(picture.at)}
            </figcaption>
          </figure>
        ))}
      </div>
      <h2>What was done</h2>
      <table>
        <thead>
          <tr>
            <th>When</th>
            <th>Who</th>
            <th>What</th>
          </tr>
        </thead>
        <tbody>
          {c.log.map((l) => (
            <tr key={`${l.at}${l.words}`}>
              <td className="whitespace-nowrap">{atTime(l.at)}</td>
              <td>{l.who}</td>
              <td>{l.words}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <h2>In doubt now</h2>
      <Lines words="" rows={plan.data.steps.map((s) => `${s.title}. ${s.why}`)} none="Nothing on this machine." />
    </Paper>
  );
}

function Lines({ words, rows, none = "" }: { words: string; rows: string[]; none?: string }) {
  if (!rows.length) return none ? <p>{none}</p> : null;
  return (
    <>
      {words ? <p className="font-semibold">{words}</p> : null}
      <ul className="mb-2 list-disc pl-5">
        {rows.map((r) => (
          <li key={r}>{r}</li>
        ))}
      </ul>
    </>
  );
}

const quantity = (m: Measured) => (m.value == null ? null : { value: m.value, u95: m.u95, unit: m.unit });

/** A figure before and after, in words and on one strip. */
function BeforeAfter({ x }: { x: Pair }) {
  const me = useMe();
  const said = (m: Measured) => {
    const q = quantity(m);
    return `${m.words}${q ? ` ${sentence(q, me)}` : ""}: ${VERDICT[m.verdict as keyof typeof VERDICT] ?? m.verdict}. ${atTime(m.at)}, ${m.by}${m.instrument ? `, ${m.instrument}` : ""}.`;
  };
  const last = quantity(x.last);
  return (
    <figure className="mb-3">
      <figcaption>
        <b>{x.question}</b>
        <br />
        {x.once ? said(x.last) : `Before: ${said(x.first)}`}
        {x.once ? null : (
          <>
            <br />
            After: {said(x.last)}
          </>
        )}
      </figcaption>
      {last ? (
        <Strip
          label={`${x.question} ${placeName(x.place)}`}
          quantity={last}
          low={x.last.low}
          high={x.last.high}
          before={x.once ? null : quantity(x.first)}
        />
      ) : null}
      {x.last.source_of_limits ? (
        <small>Limits: {FROM[x.last.source_of_limits] ?? x.last.source_of_limits}.</small>
      ) : null}
    </figure>
  );
}
