/** The stores: what to order by when, what lies in which drawer, and the types of parts that can be fitted. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, got } from "../api/client";
import { Button, ErrorNote, Loading, TextField, useTitle } from "../kit/bits";
import { dayOf, parseFigure } from "../kit/figures";
import { counted } from "../kit/words";
import { atLeast, useMe } from "../session/me";
import { DrawerRow } from "./DrawerRow";
import { Labels } from "./Labels";
import { byDay, type Drawer, type PartType, STORES, type Stores, useStoresWrite, wanted } from "./stores";
import { DrawerForm, TypeForm } from "./TypeForm";

export function StoresPage() {
  const lead = atLeast(useMe(), "lead");
  const asked = Number(useSearchParams()[0].get("drawer"));
  const stores = useQuery(STORES);
  useTitle("Stores");
  if (!stores.data) return stores.error ? <ErrorNote error={stores.error} /> : <Loading what="the stores" />;
  const { drawers, types } = stores.data;
  const order = drawers.filter((d) => d.order_by && new Date(d.order_by).getTime() < Date.now() + QUARTER);
  const without = types.filter((t) => !drawers.some((d) => d.type_id === t.id));
  return (
    <div className="mx-auto grid max-w-5xl gap-4">
      <section className="sheet grid gap-3" aria-labelledby="stores">
        <p className="text-ink2">
          <Link to="/rounds">All rounds</Link>
        </p>
        <h1 id="stores">{order.length ? "To order" : drawers.length ? "Nothing to order" : "Stores"}</h1>
        {order.length ? (
          <ul className="rows">
            {order.map((d, i) => (
              <ToOrder key={d.id} d={d} first={i === 0} money={stores.data.money} />
            ))}
          </ul>
        ) : null}
        <p className="max-w-[48em] text-[15px] text-ink2">
          So that the chance of standing without stays under {percent(stores.data.risk)}. From how long parts last here,
          or typically, at each machine's own use.
        </p>
        {lead ? <Settled s={stores.data} /> : null}
      </section>
      <section className="sheet grid gap-3" aria-labelledby="drawers">
        <h2 id="drawers">In the drawers</h2>
        {drawers.length ? (
          <ul className="rows">
            {[...drawers]
              .sort((a, b) => a.drawer.localeCompare(b.drawer) || a.type.localeCompare(b.type))
              .map((d) => (
                <DrawerRow key={d.id} d={d} lead={lead} money={stores.data.money} asked={d.id === asked} />
              ))}
          </ul>
        ) : (
          <p>No drawer is kept yet. {lead ? "Choose a type of part below, and say where it lies." : null}</p>
        )}
        <Labels drawers={drawers} />
      </section>
      <section className="sheet grid gap-3" aria-labelledby="types">
        <div>
          <h2 id="types">Types of parts</h2>
          <p className="text-ink2">
            What can be fitted. A life of this workshop's own goes before the typical one of its kind.
          </p>
        </div>
        {types.length ? (
          <ul className="rows">
            {types.map((t) => (
              <TypeRow key={t.id} t={t} stores={stores.data} lead={lead} keeps={!without.includes(t)} />
            ))}
          </ul>
        ) : (
          <p>No type of part is kept yet.</p>
        )}
        {lead ? <Adding stores={stores.data} /> : null}
      </section>
    </div>
  );
}

/** What is to be ordered later than this is of no interest today (ms). */
const QUARTER = 91 * 24 * 3600 * 1000;

const percent = (share: number) => `${Number((100 * share).toPrecision(2))} %`;

function ToOrder({ d, first, money }: { d: Drawer; first: boolean; money: string }) {
  const [open, setOpen] = useState(false);
  const [number, setNumber] = useState(String(d.order));
  const [expected, setExpected] = useState("");
  const write = useStoresWrite(
    () =>
      got(
        api.POST("/api/drawers/{drawer_id}/orders", {
          params: { path: { drawer_id: d.id } },
          body: { number: parseFigure(number) ?? 0, expected_on: expected || null },
        }),
      ),
    () => setOpen(false),
  );
  const cost = d.cost == null ? "" : `, about ${(Number(d.cost) * d.order).toFixed(2)} ${money}`.trimEnd();
  return (
    <li className="grid gap-2 py-3">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
        <span className="flex-1">
          <b className="text-[20px]">
            {d.order} {d.type}
          </b>
          <span className="text-ink2">
            {" "}
            {d.kind}
            {cost}
          </span>
          <span className="block">
            {d.here} in the drawer{d.minimum ? `, ${d.minimum} at the least` : ""}; {wanted(d)} wanted in the next
            quarter.
            {d.short_on ? ` It may not last beyond ${dayOf(d.short_on)}` : ""}
            {d.short_on ? `; an order takes ${counted(d.lead_days, "day", "days")}.` : ""}
          </span>
        </span>
        <b className="text-[19px]">{byDay(d.order_by!)}</b>
        {open ? null : (
          <Button next={first} onClick={() => setOpen(true)} aria-label={`Ordered: ${d.type}`}>
            Ordered
          </Button>
        )}
      </div>
      {open ? (
        <form
          className="flex flex-wrap items-end gap-3 border-l-[5px] border-line pl-4"
          onSubmit={(e) => {
            e.preventDefault();
            write.mutate(undefined);
          }}
        >
          <div className="w-32">
            <TextField label="How many" figure required maxLength={5} value={number} onText={setNumber} />
          </div>
          <div className="w-52">
            <TextField
              label="Expected on"
              type="date"
              hint={`Else in ${counted(d.lead_days, "day", "days")}.`}
              value={expected}
              onText={setExpected}
            />
          </div>
          <Button next type="submit" disabled={write.isPending}>
            Write it down
          </Button>
          <Button onClick={() => setOpen(false)}>Leave it</Button>
          <ErrorNote error={write.error} />
        </form>
      ) : null}
    </li>
  );
}

function Settled({ s }: { s: Stores }) {
  const [risk, setRisk] = useState(String(100 * s.risk));
  const [money, setMoney] = useState(s.money);
  const write = useStoresWrite(() =>
    got(api.POST("/api/stores/settled", { body: { risk: (parseFigure(risk) ?? 0) / 100, money } })),
  );
  return (
    <details>
      <summary className="min-h-11 cursor-pointer py-2 text-ink2">What chance is borne, and in which money</summary>
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          write.mutate(undefined);
        }}
      >
        <div className="w-44">
          <TextField label="Chance, %" figure required maxLength={6} value={risk} onText={setRisk} />
        </div>
        <div className="w-32">
          <TextField label="Money" maxLength={8} value={money} onText={setMoney} />
        </div>
        <Button type="submit" disabled={write.isPending}>
          Keep it so
        </Button>
        <ErrorNote error={write.error} />
      </form>
    </details>
  );
}

type TypeProps = { t: PartType; stores: Stores; lead: boolean; keeps: boolean };

function TypeRow({ t, stores, lead, keeps }: TypeProps) {
  const [open, setOpen] = useState<"" | "change" | "keep">("");
  return (
    <li className="grid gap-2 py-2.5">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-1">
        <span className="flex-1">
          <b className="text-[18px]">{t.name}</b> <span className="text-ink2">{stores.kinds[t.kind] ?? t.kind}</span>
          {t.lubricant || t.notes ? (
            <span className="block text-ink2">{[t.lubricant, t.notes].filter(Boolean).join(" ")}</span>
          ) : null}
        </span>
        <span className="font-mono">{t.life_hours === null ? "life typical" : `${Math.round(t.life_hours)} h`}</span>
        {lead && !open ? (
          <span className="flex gap-2">
            {keeps ? null : (
              <Button onClick={() => setOpen("keep")} aria-label={`Keep a drawer of ${t.name}`}>
                Keep a drawer
              </Button>
            )}
            <Button onClick={() => setOpen("change")} aria-label={`Change it: ${t.name}`}>
              Change it
            </Button>
          </span>
        ) : null}
      </div>
      {open === "change" ? <TypeForm stores={stores} t={t} leave={() => setOpen("")} /> : null}
      {open === "keep" ? <DrawerForm typeId={t.id} leave={() => setOpen("")} /> : null}
    </li>
  );
}

function Adding({ stores }: { stores: Stores }) {
  const [adding, setAdding] = useState(false);
  return adding ? (
    <TypeForm stores={stores} leave={() => setAdding(false)} />
  ) : (
    <Button className="justify-self-start" onClick={() => setAdding(true)}>
      Add a type
    </Button>
  );
}
