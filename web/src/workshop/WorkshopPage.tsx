/** The workshop itself: parts of the room, models with belts and limits, machines, instruments, people. */
import { useQuery } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import { api, got, newKey, type Schemas, send } from "../api/client";
import { FactFields, factsOf, isFact, NO_FACTS } from "../instrument/Facts";
import { Button, ErrorNote, Field, FilePick, fieldError, INPUT, Loading, TextField, useTitle } from "../kit/bits";
import { atLeast, useMe } from "../session/me";
import { LongWork } from "../work/LongWork";
import { Data } from "./Data";
import { ModelForm } from "./ModelForm";
import { People } from "./People";
import { Schools } from "./Schools";
import { useShopWrite } from "./shop";

type Shop = Schemas["Workshop"];

const TAB =
  "min-h-12 border-b-[3px] border-transparent px-3 font-semibold text-ink2 data-[state=active]:border-ink data-[state=active]:text-ink";

export function WorkshopPage() {
  const me = useMe();
  const lead = atLeast(me, "lead");
  const shop = useQuery({ queryKey: ["workshop"], queryFn: () => got(api.GET("/api/workshop")) });
  useTitle("The workshop");
  if (!shop.data) return shop.error ? <ErrorNote error={shop.error} /> : <Loading what="the workshop" />;
  const s = shop.data;
  return (
    <div className="mx-auto grid max-w-5xl gap-4">
      <div className="flex flex-wrap items-baseline justify-between gap-x-6">
        <h1>The workshop</h1>
        <span className="flex flex-wrap gap-x-5 font-semibold">
          <Link to="/fleet" className="inline-flex min-h-11 items-center">
            Across the machines
          </Link>
          <Link to="/stores" className="inline-flex min-h-11 items-center">
            Stores
          </Link>
          <Link to="/quarter" className="inline-flex min-h-11 items-center">
            What the next quarter will want
          </Link>
        </span>
      </div>
      <Tabs.Root defaultValue={s.areas.length ? (s.models.length ? "machines" : "models") : "room"}>
        <Tabs.List aria-label="Parts of the workshop" className="mb-4 flex flex-wrap border-b border-line">
          <Tabs.Trigger value="machines" className={TAB}>
            Machines
          </Tabs.Trigger>
          <Tabs.Trigger value="models" className={TAB}>
            Models and limits
          </Tabs.Trigger>
          <Tabs.Trigger value="room" className={TAB}>
            Room
          </Tabs.Trigger>
          <Tabs.Trigger value="instruments" className={TAB}>
            Instruments
          </Tabs.Trigger>
          {lead ? (
            <>
              <Tabs.Trigger value="people" className={TAB}>
                People
              </Tabs.Trigger>
              <Tabs.Trigger value="data" className={TAB}>
                Data
              </Tabs.Trigger>
              <Tabs.Trigger value="work" className={TAB}>
                Long work
              </Tabs.Trigger>
            </>
          ) : null}
        </Tabs.List>
        <Tabs.Content value="machines">
          <Machines s={s} lead={lead} />
        </Tabs.Content>
        <Tabs.Content value="models">
          <Models s={s} lead={lead} />
          <div className="mt-4">
            <Schools schools={s.schools} lead={lead} />
          </div>
        </Tabs.Content>
        <Tabs.Content value="room">
          <Room s={s} lead={lead} />
        </Tabs.Content>
        <Tabs.Content value="instruments">
          <Instruments s={s} lead={lead} />
        </Tabs.Content>
        {lead ? (
          <>
            <Tabs.Content value="people">
              <People />
            </Tabs.Content>
            <Tabs.Content value="data">
              <Data shop={s} />
            </Tabs.Content>
            <Tabs.Content value="work">
              <LongWork shop={s} />
            </Tabs.Content>
          </>
        ) : null}
      </Tabs.Root>
    </div>
  );
}

function List({ children, empty }: { children: ReactNode[]; empty: string }) {
  return children.length ? <ul className="rows">{children}</ul> : <p>{empty}</p>;
}

function Room({ s, lead }: { s: Shop; lead: boolean }) {
  const [name, setName] = useState("");
  const add = useShopWrite(
    () => got(api.POST("/api/workshop/areas", { body: { name } })),
    () => setName(""),
  );
  return (
    <section className="sheet grid gap-4">
      <List empty="Name the first part of the room: where do machines stand?">
        {s.areas.map((p) => (
          <li key={p.id} className="py-2">
            {p.name}
          </li>
        ))}
      </List>
      {lead ? (
        <form
          className="flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            add.mutate(undefined);
          }}
        >
          <div className="min-w-72">
            <TextField
              label="Another part of the room"
              error={fieldError(add.error, "name")}
              value={name}
              maxLength={60}
              required
              onText={setName}
            />
          </div>
          <Button type="submit" disabled={add.isPending}>
            Add
          </Button>
        </form>
      ) : null}
      {fieldError(add.error, "name") ? null : <ErrorNote error={add.error} />}
    </section>
  );
}

/** A check in a few words: how often it saw what was there, and what it took. */
export function worth(l: Schemas["LookLearned"]): string {
  const saw = l.should ? `saw ${l.saw} of ${l.should}` : "";
  const took = l.minutes != null ? `took ${l.minutes.toFixed(0)} minutes (typical ${l.typical.toFixed(0)})` : "";
  return `${l.label.toLowerCase()} ${[saw, took].filter(Boolean).join(", ")}`;
}

function Models({ s, lead }: { s: Shop; lead: boolean }) {
  const [editing, setEditing] = useState<number | "new" | null>(null);
  const forget = useShopWrite(
    (id: number) => got(api.POST("/api/workshop/models/{model_id}/forget", { params: { path: { model_id: id } } })),
    () => undefined,
  );
  const taken = useShopWrite(
    (f: File) => {
      const form = new FormData();
      form.append("file", f);
      return send<Shop>("/api/workshop/model-file", form, newKey());
    },
    () => undefined,
  );
  const open = s.models.find((m) => m.id === editing);
  if (editing !== null)
    return <ModelForm key={editing} model={open ?? null} kinds={s.limit_kinds} leave={() => setEditing(null)} />;
  return (
    <section className="sheet grid gap-4">
      <List empty="No model is described yet. A model tells what belts and screws its machines have, and their limits.">
        {s.models.map((m) => (
          <li key={m.id} className="flex flex-wrap items-center justify-between gap-3 py-2">
            <span>
              <b>{m.name}</b>{" "}
              <span className="text-ink2">
                {m.description.kinematics.replace("_", " ")}, {m.printers} {m.printers === 1 ? "machine" : "machines"},{" "}
                {m.limits?.length ?? 0} limits
              </span>
              {m.learned?.length ? (
                <span className="block text-[15px] text-ink2">
                  Confirmed causes that count into the weighing:{" "}
                  {m.learned.map((l) => `${l.label.toLowerCase()} ${l.times}×`).join(", ")}.
                </span>
              ) : null}
              {m.looks?.length ? (
                <span className="block text-[15px] text-ink2">
                  What its looks were worth: {m.looks.map(worth).join("; ")}.
                </span>
              ) : null}
            </span>
            {lead ? (
              <span className="flex gap-2">
                {m.learned?.length ? (
                  <Button onClick={() => forget.mutate(m.id)}>Begin anew what was learned</Button>
                ) : null}
                <a
                  className="inline-flex min-h-12 items-center px-2"
                  href={`/api/workshop/models/${m.id}/file`}
                  aria-label={`${m.name} as a file`}
                >
                  As a file
                </a>
                <Button onClick={() => setEditing(m.id)}>Change</Button>
              </span>
            ) : null}
          </li>
        ))}
      </List>
      {lead ? (
        <div className="flex flex-wrap gap-3">
          <Button next={!s.models.length} onClick={() => setEditing("new")}>
            Describe a model
          </Button>
          <FilePick
            label="Take one from a file"
            accept=".json,application/json"
            disabled={taken.isPending}
            onFile={(f) => taken.mutate(f)}
          />
        </div>
      ) : null}
    </section>
  );
}

function Machines({ s, lead }: { s: Shop; lead: boolean }) {
  const blank = { name: "", model_id: s.models[0]?.id ?? 0, area_id: s.areas[0]?.id ?? 0, serial: "" };
  const [form, setForm] = useState(blank);
  const add = useShopWrite(
    () => got(api.POST("/api/workshop/printers", { body: form })),
    () => setForm({ ...form, name: "", serial: "" }),
  );
  return (
    <section className="sheet grid gap-4">
      <List
        empty={
          s.models.length && s.areas.length
            ? "No machine yet."
            : "First name a part of the room and describe a model; then machines can be put on the floor."
        }
      >
        {s.printers.map((p) => (
          <li key={p.id} className="py-2">
            <b>{p.name}</b>{" "}
            <span className="text-ink2">
              {s.models.find((m) => m.id === p.model_id)?.name}, {s.areas.find((x) => x.id === p.area_id)?.name}
              {p.serial ? `, ${p.serial}` : ""}
              {p.simulated ? ", simulated" : ""}
            </span>
          </li>
        ))}
      </List>
      {lead && s.models.length && s.areas.length ? (
        <form
          className="grid gap-3 sm:grid-cols-2"
          onSubmit={(e) => {
            e.preventDefault();
            add.mutate(undefined);
          }}
        >
          <TextField
            label="Name of another machine"
            error={fieldError(add.error, "name")}
            value={form.name}
            maxLength={40}
            required
            onText={(typed) => setForm({ ...form, name: typed })}
          />
          <TextField
            label="Number or mark on it"
            value={form.serial}
            maxLength={40}
            onText={(typed) => setForm({ ...form, serial: typed })}
          />
          <Field label="Model">
            {(id) => (
              <select
                id={id}
                className={INPUT}
                value={form.model_id}
                onChange={(e) => setForm({ ...form, model_id: Number(e.target.value) })}
              >
                {s.models.map((m) => (
                  <option key={m.id} value={m.id}>
                    {m.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
          <Field label="Where it stands">
            {(id) => (
              <select
                id={id}
                className={INPUT}
                value={form.area_id}
                onChange={(e) => setForm({ ...form, area_id: Number(e.target.value) })}
              >
                {s.areas.map((p) => (
                  <option key={p.id} value={p.id}>
                    {p.name}
                  </option>
                ))}
              </select>
            )}
          </Field>
          {fieldError(add.error, "name") ? null : <ErrorNote error={add.error} />}
          <Button type="submit" className="justify-self-start" disabled={add.isPending}>
            Put it on the floor
          </Button>
        </form>
      ) : null}
    </section>
  );
}

function Instruments({ s, lead }: { s: Shop; lead: boolean }) {
  const [texts, setTexts] = useState(NO_FACTS);
  const [wrong, setWrong] = useState<Record<string, string>>({});
  const add = useShopWrite(
    (body: Schemas["InstrumentFacts"]) =>
      got(api.POST("/api/workshop/instruments", { body: { ...body, checked_against: "" } })),
    () => setTexts({ ...texts, name: "" }),
  );
  const send = () => {
    const told = factsOf(texts);
    setWrong(told.wrong);
    if (!Object.keys(told.wrong).length) add.mutate(told.body);
  };
  return (
    <section className="sheet grid gap-4">
      <List empty="No instrument yet. A caliper, a spring scale, a microphone: what measures, and how surely.">
        {s.instruments.map((i) => {
          return (
            <li key={i.id} className="py-2">
              <Link to={`/instruments/${i.id}`} className="inline-block min-h-11 py-2 font-bold">
                {i.name}
              </Link>{" "}
              <span className="text-ink2">
                {i.kind}
                {i.resolution != null ? `, reads to ${i.resolution} ${i.unit}` : ""}
                {i.u95 != null ? `, ± ${i.u95} ${i.unit}` : ", uncertainty not known"}
                {i.checked_on
                  ? `. Checked ${i.checked_on}${i.checked_against ? ` against ${i.checked_against}` : ""}`
                  : ". Never checked"}
                {i.address ? `. On the network at ${i.address}` : ""}.
              </span>
              {i.doubt ? <b className="ml-2 text-off">{i.doubt}</b> : null}
            </li>
          );
        })}
      </List>
      {lead ? (
        <form
          className="grid gap-3 sm:grid-cols-3"
          onSubmit={(e) => {
            e.preventDefault();
            send();
          }}
        >
          <p className="text-ink2 sm:col-span-3">Another instrument. It is checked on its own page.</p>
          <FactFields
            texts={texts}
            onText={(name, typed) => setTexts({ ...texts, [name]: typed })}
            wrong={wrong}
            error={add.error}
          />
          {isFact(add.error) ? null : <ErrorNote error={add.error} />}
          <Button type="submit" className="justify-self-start" disabled={add.isPending}>
            Add
          </Button>
        </form>
      ) : null}
    </section>
  );
}
