/** One drawer: how many lie there, what is on its way; counting it, and putting in what has come. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../api/client";
import { Button, ErrorNote, fieldError, TextField } from "../kit/bits";
import { ago, dayOf, parseFigure } from "../kit/figures";
import { counted } from "../kit/words";
import { type Drawer, useStoresWrite, wanted } from "./stores";
import { DrawerForm } from "./TypeForm";

type Props = { d: Drawer; lead: boolean; money: string; asked: boolean };

export function DrawerRow({ d, lead, money, asked }: Props) {
  const [open, setOpen] = useState(asked);
  return (
    <li className={`grid gap-2 py-1 ${asked ? "border-l-[5px] border-go pl-3" : ""}`}>
      <button
        type="button"
        aria-expanded={open}
        className="flex min-h-12 w-full flex-wrap items-center gap-x-5 gap-y-1 text-left hover:bg-well"
        onClick={() => setOpen(!open)}
      >
        <b className="w-16 font-mono">{d.drawer}</b>
        <span className="flex-1">
          <b className="text-[18px]">{d.type}</b> <span className="text-ink2">{d.kind}</span>
          {d.orders.length ? (
            <span className="block text-[15px] text-ink2">
              {d.orders
                .map(
                  (o) => `${o.left} on the way, ${o.late ? "should have come" : "expected"} on ${dayOf(o.expected_on)}`,
                )
                .join("; ")}
            </span>
          ) : null}
        </span>
        <span className="text-[15px] text-ink2">{wanted(d)} wanted in the next quarter</span>
        <span className="w-16 text-right">
          <b className="font-mono text-[24px]">{d.counted_at ? d.here : "?"}</b>
        </span>
      </button>
      {open ? <Inside d={d} lead={lead} money={money} /> : null}
    </li>
  );
}

function Inside({ d, lead, money }: Omit<Props, "asked">) {
  const [changing, setChanging] = useState(false);
  return (
    <div className="grid gap-3 border-l-[5px] border-line py-2 pl-4">
      <p className="text-[15px] text-ink2">
        {d.counted_at ? `Counted ${ago(d.counted_at)}. ` : "Nobody has counted it yet. "}
        {d.ended ? "No more of it can be had. " : ""}
        {d.minimum} at the least. An order takes {counted(d.lead_days, "day", "days")}.
        {d.cost == null ? "" : ` One costs ${[Number(d.cost).toFixed(2), money].filter(Boolean).join(" ")}.`}{" "}
        {counted(d.parts, "part", "parts")} in use may want one
        {d.unknown ? `; of ${d.unknown} more nobody knows the hours` : ""}.
      </p>
      {d.orders.map((o) => (
        <Came key={o.id} o={o} />
      ))}
      <div className="flex flex-wrap items-end gap-6">
        <Count d={d} />
        {lead && !changing ? <Button onClick={() => setChanging(true)}>Change the drawer</Button> : null}
      </div>
      {changing ? <DrawerForm typeId={d.type_id} d={d} leave={() => setChanging(false)} /> : null}
      <Moves id={d.id} />
    </div>
  );
}

function Count({ d }: { d: Drawer }) {
  const [number, setNumber] = useState("");
  const write = useStoresWrite(
    () =>
      got(
        api.POST("/api/drawers/{drawer_id}/count", {
          params: { path: { drawer_id: d.id } },
          body: { number: parseFigure(number) ?? -1 },
        }),
      ),
    () => setNumber(""),
  );
  return (
    <form
      className="flex items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        write.mutate(undefined);
      }}
    >
      <div className="w-36">
        <TextField
          label="Counted: there are"
          figure
          required
          maxLength={4}
          value={number}
          error={fieldError(write.error, "number")}
          onText={setNumber}
        />
      </div>
      <Button type="submit" disabled={write.isPending}>
        Write it down
      </Button>
      <ErrorNote error={write.error} />
    </form>
  );
}

function Came({ o }: { o: Drawer["orders"][number] }) {
  const [number, setNumber] = useState(String(o.left));
  const path = { params: { path: { order_id: o.id } } };
  const came = useStoresWrite(() =>
    got(api.POST("/api/part-orders/{order_id}/came", { ...path, body: { number: parseFigure(number) ?? 0 } })),
  );
  const giveUp = useStoresWrite(() => got(api.POST("/api/part-orders/{order_id}/give-up", path)));
  return (
    <form
      className="flex flex-wrap items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        came.mutate(undefined);
      }}
    >
      <p className="min-w-72">
        {o.number} ordered by {o.by} {ago(o.ordered_at)}
        <span className="block text-[15px] text-ink2">
          {o.late ? "should have come" : "expected"} on {dayOf(o.expected_on)}
        </span>
      </p>
      <div className="w-28">
        <TextField
          label="Came"
          figure
          required
          maxLength={4}
          value={number}
          error={fieldError(came.error, "number")}
          onText={setNumber}
        />
      </div>
      <Button type="submit" disabled={came.isPending}>
        Into the drawer
      </Button>
      <Button disabled={giveUp.isPending} onClick={() => giveUp.mutate(undefined)}>
        The rest is not waited for
      </Button>
      <ErrorNote error={came.error ?? giveUp.error} />
    </form>
  );
}

const DID = { counted: "counted", came: "came", fitted: "fitted" };

function Moves({ id }: { id: number }) {
  const [open, setOpen] = useState(false);
  const rows = useQuery({
    queryKey: ["drawer", id],
    queryFn: () => got(api.GET("/api/drawers/{drawer_id}/moves", { params: { path: { drawer_id: id } } })),
    enabled: open,
  });
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-11 cursor-pointer py-2 text-[15px] font-semibold text-ink2">
        What went in and out
      </summary>
      <ErrorNote error={rows.error} />
      {rows.data?.length === 0 ? <p>Nothing yet.</p> : null}
      <ul className="rows">
        {rows.data?.map((m) => (
          <li key={`${m.at}${m.did}${m.left}`} className="flex flex-wrap justify-between gap-x-4 py-1.5">
            <span>
              {m.did === "counted" ? `Counted: ${m.number}` : `${m.number} ${DID[m.did]}`}
              {m.words ? `: ${m.words}` : ""}
              <span className="block text-[15px] text-ink2">
                {m.by}, {ago(m.at)}
              </span>
            </span>
            <span className="font-mono">{m.left}</span>
          </li>
        ))}
      </ul>
    </details>
  );
}
