/** One machine: the sketch as its map, condition by axis with the age of the evidence, limits, parts, and the record. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, got, type Schemas } from "../api/client";
import { beltsPath } from "../bench/paths";
import { Button, Caution, Choices, ErrorNote, fieldError, Loading, TextField, useTitle } from "../kit/bits";
import { FitnessWords } from "../kit/Condition";
import { ago, preferred } from "../kit/figures";
import { Sketch } from "../kit/Sketch";
import { KINEMATICS } from "../kit/words";
import { KeptNote, WaitsHere } from "../offline/KeptNote";
import { useWaiting, useWrite } from "../offline/useEntries";
import { atLeast, useMe } from "../session/me";
import { Differs } from "./Differs";
import { InDoubt } from "./InDoubt";
import { Ledger } from "./Ledger";
import { beltConditions, type Chosen, Places } from "./Places";
import { Record } from "./Record";

export function Machine() {
  const id = Number(useParams().id);
  const me = useMe();
  const technician = atLeast(me, "technician");
  const lead = atLeast(me, "lead");
  const go = useNavigate();
  const [chosen, setChosen] = useState<Chosen | null>(null);
  const printer = useQuery({
    queryKey: ["printer", id],
    queryFn: () => got(api.GET("/api/printers/{printer_id}", { params: { path: { printer_id: id } } })),
  });
  useTitle(printer.data?.name);
  if (printer.isPending) return <Loading what="the machine" />;
  if (!printer.data) return <ErrorNote error={printer.error} />;
  const p = printer.data;
  const belt = chosen?.kind === "belt" ? chosen.place : null;
  return (
    <div className={`grid gap-5 ${technician ? "lg:grid-cols-[400px_1fr]" : "max-w-2xl"}`}>
      <section className="sheet grid content-start gap-3 self-start">
        <h1>{p.name}</h1>
        <p className="text-ink2">
          {p.model}, {KINEMATICS[p.description.kinematics]}. {p.area}.{p.serial ? ` Number ${p.serial}.` : ""}
          {p.simulated ? " Simulated machine." : ""}
        </p>
        {p.retired ? (
          <p className="border-l-[5px] border-line pl-3">
            <b>Given up:</b> it is no longer on the floor. Its record stays.{" "}
            {technician ? <Link to="/worth">Why</Link> : null}
          </p>
        ) : (
          <FitnessWords fitness={p.condition.fitness} reason={p.condition.reason} />
        )}
        <Sketch
          description={p.description}
          conditions={beltConditions(p.condition)}
          lit={belt}
          onPick={technician ? (place) => setChosen({ kind: "belt", place }) : undefined}
        />
        {technician ? null : (
          <Button next onClick={() => go(`/report/${p.id}`)}>
            Report a fault
          </Button>
        )}
        {technician ? (
          <div className="flex flex-wrap gap-3">
            <Button next={!p.looks.length} onClick={() => go(belt ? beltsPath(p.id, belt) : `/bench/${p.id}`)}>
              {belt ? `Measure belt ${belt.toUpperCase()}` : "Measure"}
            </Button>
            <Button onClick={() => go(`/report/${p.id}`)}>Report a fault</Button>
            <Button onClick={() => go(`/machines/${p.id}/parts`)}>Its parts and hours</Button>
          </div>
        ) : null}
        {technician ? <Tag printer={p} /> : null}
        {technician ? (
          <Link to={`/print/machines/${p.id}`} className="inline-flex min-h-11 items-center text-[15px]">
            Its book, on paper
          </Link>
        ) : null}
        {lead ? (
          <a href={`/api/printers/${p.id}/archive`} download className="inline-flex min-h-11 items-center text-[15px]">
            Take it along, with its history
          </a>
        ) : null}
        <Link to={`/near-misses?machine=${p.id}`} className="inline-flex min-h-11 items-center text-[15px]">
          Tell of a near miss
        </Link>
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
          <InDoubt id={id} className="sheet" />
          <Places printer={p} chosen={chosen} onPick={setChosen} />
          <WaitsHere about={`/machines/${id}`} />
          <Ledger printerId={id} className="sheet" />
          <Record key={`${chosen?.kind}${chosen?.place}`} id={id} chosen={chosen} />
          <Parts printer={p} />
        </div>
      ) : null}
    </div>
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

function Parts({ printer }: { printer: Schemas["PrinterOut"] }) {
  const me = useMe();
  return (
    <section className="sheet grid gap-3">
      <Differs id={printer.id} />
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
    </section>
  );
}

/** Held for a danger on another machine of its model: somebody looks, unplugged, and ticks what was found. */
function Look({ look, name, printerId }: { look: Schemas["LookOut"]; name: string; printerId: number }) {
  const client = useQueryClient();
  const [unplugged, setUnplugged] = useState(false);
  const [trouble, setTrouble] = useState<"yes" | "no" | "">("");
  const [found, setFound] = useState("");
  const done = useWrite<Schemas["CaseOut"]>(
    () => ({
      words: `${name}: looked at for a danger elsewhere; ${trouble === "yes" ? "the same here" : "sound"}`,
      about: `/machines/${printerId}`,
      mark: `look ${look.id}`,
      writes: [
        {
          path: `/api/looks/${look.id}`,
          body: { unplugged, trouble: trouble === "yes", found } satisfies Schemas["LookIn"],
        },
      ],
    }),
    () => {
      client.invalidateQueries({ queryKey: ["printer", printerId] });
      client.invalidateQueries({ queryKey: ["floor"] });
    },
  );
  const waits = useWaiting(`/machines/${printerId}`).find((e) => e.mark === `look ${look.id}`);
  if (waits)
    return (
      <KeptNote id={waits.id}>
        {name} stays held until then{trouble === "yes" ? ": leave it unplugged, and put a note on it" : ""}
      </KeptNote>
    );
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
      <TextField
        label="What was looked at, and found"
        value={found}
        onText={setFound}
        required
        minLength={3}
        maxLength={300}
      />
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
  const [verified, setVerified] = useState("");
  const missing = printer.before_lifting;
  const path = { params: { path: { printer_id: printer.id } } };
  const done = (p: Schemas["PrinterOut"]) => {
    client.setQueryData(["printer", printer.id], p);
    client.invalidateQueries({ queryKey: ["record", printer.id] });
    setOpen(false);
    setReason("");
  };
  const tag = useWrite<Schemas["PrinterOut"]>(
    () => ({
      words: `${printer.name}: tagged out, ${reason}`,
      about: `/machines/${printer.id}`,
      mark: "tag",
      writes: [{ path: `/api/printers/${printer.id}/tag-out`, body: { reason } satisfies Schemas["TagOut"] }],
    }),
    done,
  );
  const waits = useWaiting(`/machines/${printer.id}`).find((e) => e.mark === "tag");
  const lift = useMutation({
    mutationFn: () =>
      got(api.DELETE("/api/printers/{printer_id}/tag-out", { params: { ...path.params, query: { verified } } })),
    onSuccess: done,
  });
  if (printer.tagged_out)
    return (
      <div className="grid gap-2 border-t border-hair pt-3">
        <p>
          Tagged out by {printer.tagged_out_by}
          {printer.tagged_out_at ? `, ${ago(printer.tagged_out_at)}` : ""}.
        </p>
        {missing.length ? (
          <div className="grid gap-1">
            <h2>Before it may be used again</h2>
            <ul className="rows">
              {missing.map((m) => (
                <li key={m.words} className="py-1.5">
                  <Link to={m.leads_to}>{m.words}</Link>
                </li>
              ))}
            </ul>
            {missing.some((m) => m.danger) ? null : (
              <TextField
                label="Or: how was it made sure of?"
                hint="Stands in the record beside your name."
                error={fieldError(lift.error, "verified")}
                maxLength={300}
                value={verified}
                onText={setVerified}
              />
            )}
          </div>
        ) : null}
        <ErrorNote error={lift.error} />
        <Button onClick={() => lift.mutate()} disabled={lift.isPending || (missing.length > 0 && !verified.trim())}>
          Lift the tag
        </Button>
      </div>
    );
  if (waits)
    return <KeptNote id={waits.id}>nobody else knows until then: leave it unplugged, and put a note on it</KeptNote>;
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
      <TextField
        label="Why may nobody use it?"
        value={reason}
        onText={setReason}
        required
        minLength={3}
        maxLength={200}
      />
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
