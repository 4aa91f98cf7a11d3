/** One machine: the sketch as its map, condition by belt with the age of the evidence, limits, parts, and the record. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, got, newKey, type Schemas, send } from "../api/client";
import { beltsPath, benchPath } from "../bench/paths";
import { KINEMATICS } from "../floor/Floor";
import { Button, Caution, Choices, ErrorNote, Field, INPUT, Loading } from "../kit/bits";
import { ConditionMark, FitnessWords } from "../kit/Condition";
import { ago, preferred, sentence } from "../kit/figures";
import { Sketch } from "../kit/Sketch";
import { Strip } from "../kit/Strip";
import { atLeast, useMe } from "../session/me";
import { Ledger } from "./Ledger";

export function Machine() {
  const id = Number(useParams().id);
  const me = useMe();
  const technician = atLeast(me, "technician");
  const go = useNavigate();
  const [place, setPlace] = useState<string | null>(null);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  if (printer.isPending) return <Loading what="the machine" />;
  if (!printer.data) return <ErrorNote error={printer.error} />;
  const p = printer.data;
  const chosen = p.condition.places.find((x) => x.place === place) ?? null;
  return (
    <div className={`grid gap-5 ${technician ? "lg:grid-cols-[400px_1fr]" : "max-w-2xl"}`}>
      <section className="sheet grid content-start gap-3 self-start">
        <h1>{p.name}</h1>
        <p className="text-ink2">
          {p.model}, {KINEMATICS[p.description.kinematics]}. {p.place}.{p.serial ? ` Number ${p.serial}.` : ""}
          {p.simulated ? " Simulated machine." : ""}
        </p>
        <FitnessWords fitness={p.condition.fitness} reason={p.condition.reason} />
        <Sketch
          description={p.description}
          conditions={Object.fromEntries(p.condition.places.map((x) => [x.place, x.condition]))}
          lit={place}
          onPick={technician ? setPlace : undefined}
        />
        {technician ? null : (
          <Button next onClick={() => go(`/report/${p.id}`)}>
            Report a fault
          </Button>
        )}
        {technician ? (
          <div className="flex flex-wrap gap-3">
            <Button
              next={!p.looks.length}
              onClick={() => go(chosen ? beltsPath(p.id, chosen.place) : `/bench/${p.id}`)}
            >
              {chosen ? `Measure belt ${chosen.place.toUpperCase()}` : "Measure"}
            </Button>
            <Button onClick={() => go(`/report/${p.id}`)}>Report a fault</Button>
          </div>
        ) : null}
        {technician ? <Tag printer={p} /> : null}
      </section>
      {technician ? (
        <div className="grid content-start gap-5">
          {p.looks.length ? (
            <section className="sheet grid gap-5">
              {p.looks.map((look) => (
                <Look key={look.id} look={look} name={p.name} printerId={id} />
              ))}
            </section>
          ) : null}
          <Cases cases={p.open_cases} />
          <Doubts printer={p} />
          <Belts printer={p} place={place} onPick={setPlace} />
          <Ledger printerId={id} className="sheet" />
          <Record id={id} place={place} />
          <Parts printer={p} />
        </div>
      ) : null}
    </div>
  );
}

/** What was changed since it was measured: no trouble, but not known either until it is measured again. */
function Doubts({ printer }: { printer: Schemas["PrinterOut"] }) {
  const rows = printer.condition.doubts ?? [];
  if (!rows.length) return null;
  return (
    <section className="sheet">
      <h2>In doubt</h2>
      <ul className="rows">
        {rows.map((d) => (
          <li key={`${d.place}${d.procedure}`} className="grid gap-1 py-2">
            <p>
              <b>{d.question}</b>
              <span className="block text-[16px] text-ink2">{d.why}</span>
            </p>
            {d.procedure ? (
              <Link to={benchPath(printer.id, d.procedure, d.place)} className="min-h-11 py-2">
                Measure it again
              </Link>
            ) : null}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Cases({ cases }: { cases: Schemas["CaseBrief"][] }) {
  if (!cases.length) return null;
  return (
    <section className="sheet">
      <h2>Open cases</h2>
      <ul className="rows">
        {cases.map((c) => (
          <li key={c.id} className="py-2">
            <Link to={`/cases/${c.id}`} className="font-semibold">
              {c.title}
            </Link>{" "}
            <span className="text-ink2">
              {c.reported_by}, {ago(c.reported_at)}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Belts({
  printer,
  place,
  onPick,
}: {
  printer: Schemas["PrinterOut"];
  place: string | null;
  onPick: (p: string) => void;
}) {
  const me = useMe();
  return (
    <section className="sheet">
      <h2>Belts, by condition</h2>
      <ul className="rows">
        {printer.condition.places.map((x) => {
          const limit = printer.limits.find((l) => l.what === "tension" && l.place === x.place);
          const isTension = x.quantity?.unit === "N";
          return (
            <li key={x.place} className="grid items-center gap-x-5 gap-y-1 py-3 md:grid-cols-[190px_1fr]">
              <button
                type="button"
                onClick={() => onPick(x.place)}
                aria-pressed={place === x.place}
                className="min-h-11 text-left"
              >
                <b className="mr-3 text-[20px]">{x.place.toUpperCase()}</b>
                <ConditionMark condition={x.condition} />
                <span className="block text-[15px] text-ink2">
                  {x.why}{" "}
                  {x.at ? <time title={new Date(x.at).toLocaleString()}>{`Measured ${ago(x.at)}.`}</time> : null}
                </span>
              </button>
              {x.quantity ? (
                <div className="flex items-center gap-4">
                  <span className="min-w-32 font-mono text-[19px] font-semibold">{sentence(x.quantity, me)}</span>
                  <Strip
                    label={`Tension of belt ${x.place.toUpperCase()}`}
                    quantity={x.quantity}
                    low={isTension ? limit?.low : null}
                    high={isTension ? limit?.high : null}
                    width={360}
                  />
                </div>
              ) : (
                <Link to={beltsPath(printer.id, x.place)}>Pluck it: six minutes</Link>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}

function Record({ id, place }: { id: number; place: string | null }) {
  const [all, setAll] = useState(false);
  const record = useQuery({
    queryKey: ["record", id, place],
    queryFn: () =>
      got(
        api.GET("/api/printers/{printer_id}/record", {
          params: { path: { printer_id: id }, query: { place: place ?? "" } },
        }),
      ),
  });
  if (!record.data) return record.error ? <ErrorNote error={record.error} /> : <Loading what="the record" />;
  const lines = all ? record.data : record.data.slice(0, 12);
  return (
    <section className="sheet">
      <h2>Record{place ? ` of belt ${place.toUpperCase()}` : ""}</h2>
      {lines.length === 0 ? <p>Nothing has happened here yet. The first measurement begins the record.</p> : null}
      <ul className="rows">
        {lines.map((l) => (
          <li key={`${l.at}${l.words}`} className="flex flex-wrap justify-between gap-x-4 py-2">
            <span>
              {l.words}{" "}
              {l.capture_id ? (
                <a className="text-[15px]" href={`/api/captures/${l.capture_id}/raw`}>
                  original
                </a>
              ) : null}
              {l.case_id ? (
                <Link className="ml-2 text-[15px]" to={`/cases/${l.case_id}`}>
                  case
                </Link>
              ) : null}
            </span>
            <span className="text-[15px] text-ink2">
              {l.who}, <time title={new Date(l.at).toLocaleString()}>{ago(l.at)}</time>
            </span>
          </li>
        ))}
      </ul>
      {record.data.length > lines.length ? (
        <Button className="mt-2" onClick={() => setAll(true)}>
          Show all {record.data.length}
        </Button>
      ) : null}
    </section>
  );
}

function Parts({ printer }: { printer: Schemas["PrinterOut"] }) {
  const me = useMe();
  return (
    <section className="sheet grid gap-3">
      <details>
        <summary className="min-h-11 cursor-pointer text-[15px] font-semibold text-ink2">
          Limits and where they come from ({printer.limits.length})
        </summary>
        <ul className="rows">
          {printer.limits.map((l) => {
            const { unit, factor } = preferred(l.unit, me);
            const text = (v: number) => Number((v * factor).toPrecision(3));
            return (
              <li key={`${l.what}${l.place}`} className="py-1.5">
                {l.what === "tension"
                  ? `Tension of belt ${l.place.toUpperCase()}`
                  : l.what === "imbalance"
                    ? "Difference of a pair"
                    : "Tracking"}
                : {l.low != null ? `${text(l.low)} to ` : "up to "}
                {l.high != null ? text(l.high) : ""} {unit} <span className="text-ink2">({l.source})</span>
              </li>
            );
          })}
        </ul>
      </details>
      <details>
        <summary className="min-h-11 cursor-pointer text-[15px] font-semibold text-ink2">
          Parts ({printer.components.length})
        </summary>
        <ul className="columns-2 gap-6">
          {printer.components.map((c) => (
            <li key={c.id} className="py-1">
              {c.label}
            </li>
          ))}
        </ul>
      </details>
    </section>
  );
}

/** Held for a danger on another machine of its model: somebody looks, unplugged, and ticks what was found. */
function Look({ look, name, printerId }: { look: Schemas["LookOut"]; name: string; printerId: number }) {
  const client = useQueryClient();
  const [unplugged, setUnplugged] = useState(false);
  const [trouble, setTrouble] = useState<"yes" | "no" | "">("");
  const [found, setFound] = useState("");
  const key = useRef(newKey());
  const done = useMutation({
    mutationFn: () =>
      send<Schemas["CaseOut"]>(
        `/api/looks/${look.id}`,
        JSON.stringify({ unplugged, trouble: trouble === "yes", found }),
        key.current,
        "application/json",
      ),
    onSuccess: () => {
      client.invalidateQueries({ queryKey: ["printer", printerId] });
      client.invalidateQueries({ queryKey: ["floor"] });
    },
    onError: () => {
      key.current = newKey();
    },
  });
  return (
    <form
      className="grid gap-3 border-l-[5px] border-failed pl-4"
      onSubmit={(e) => {
        e.preventDefault();
        done.mutate();
      }}
    >
      <h2 className="!text-[19px] !text-ink">Look first</h2>
      <p>
        On <Link to={`/cases/${look.case_id}`}>{look.on}</Link>, of the same model: {look.danger.toLowerCase()},{" "}
        {ago(look.at)}. It may sit in {name}, too; nobody uses it until somebody has looked.
      </p>
      <Caution>Pull the plug first, let the supply discharge. The mains side is for a qualified person.</Caution>
      <label className="flex min-h-11 items-center gap-3 text-[17px]">
        <input
          type="checkbox"
          className="h-6 w-6 accent-[var(--ink)]"
          checked={unplugged}
          onChange={(e) => setUnplugged(e.target.checked)}
        />
        It is unplugged
      </label>
      <Choices
        label="Is the same to be seen here?"
        options={[
          { value: "no", label: "No, sound here" },
          { value: "yes", label: "Yes, here too" },
        ]}
        value={trouble}
        onChange={(v) => setTrouble(v)}
      />
      <Field label="What was looked at, and found">
        {(fid) => (
          <input
            id={fid}
            className={INPUT}
            value={found}
            onChange={(e) => setFound(e.target.value)}
            required
            minLength={3}
            maxLength={300}
          />
        )}
      </Field>
      <ErrorNote error={done.error} />
      <Button type="submit" next className="justify-self-start" disabled={!unplugged || !trouble || done.isPending}>
        {trouble === "yes" ? "Report it and tag out" : "Looked at, release it"}
      </Button>
    </form>
  );
}

function Tag({ printer }: { printer: Schemas["PrinterOut"] }) {
  const client = useQueryClient();
  const [reason, setReason] = useState("");
  const [open, setOpen] = useState(false);
  const path = { params: { path: { printer_id: printer.id } } };
  const done = (p: Schemas["PrinterOut"]) => {
    client.setQueryData(["printer", printer.id], p);
    client.invalidateQueries({ queryKey: ["record", printer.id] });
    setOpen(false);
    setReason("");
  };
  const tag = useMutation({
    mutationFn: () => got(api.POST("/api/printers/{printer_id}/tag-out", { ...path, body: { reason } })),
    onSuccess: done,
  });
  const lift = useMutation({
    mutationFn: () => got(api.DELETE("/api/printers/{printer_id}/tag-out", path)),
    onSuccess: done,
  });
  if (printer.tagged_out)
    return (
      <div className="grid gap-2 border-t border-hair pt-3">
        <p>
          Tagged out by {printer.tagged_out_by}
          {printer.tagged_out_at ? `, ${ago(printer.tagged_out_at)}` : ""}.
        </p>
        <ErrorNote error={lift.error} />
        <Button onClick={() => lift.mutate()} disabled={lift.isPending}>
          Lift the tag
        </Button>
      </div>
    );
  if (!open)
    return (
      <Button className="justify-self-start" onClick={() => setOpen(true)}>
        Tag out
      </Button>
    );
  return (
    <form
      className="grid gap-2 border-t border-hair pt-3"
      onSubmit={(e) => {
        e.preventDefault();
        tag.mutate();
      }}
    >
      <Field label="Why may nobody use it?">
        {(fid) => (
          <input
            id={fid}
            className={INPUT}
            value={reason}
            onChange={(e) => setReason(e.target.value)}
            required
            minLength={3}
            maxLength={200}
          />
        )}
      </Field>
      <ErrorNote error={tag.error} />
      <div className="flex gap-3">
        <Button type="submit" disabled={tag.isPending}>
          Tag out
        </Button>
        <Button onClick={() => setOpen(false)}>Leave it</Button>
      </div>
    </form>
  );
}
