/** The tasks of service as this workshop has them: how often, from where, in which order; what the rounds tell; changed by the lead. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, got } from "../api/client";
import { Button, ErrorNote, Field, INPUT, Loading, useTitle } from "../kit/bits";
import { ago } from "../kit/figures";
import { atLeast, useMe } from "../session/me";
import { AddTask, ChangeTask } from "./TaskForm";
import { type Task, tasksKey, useTasksWrite } from "./tasks";
import { every, SOURCE } from "./words";

export function TasksPage() {
  const lead = atLeast(useMe(), "lead");
  const [model, setModel] = useState<number | null>(null);
  const [adding, setAdding] = useState(false);
  const [ordering, setOrdering] = useState(false);
  const tasks = useQuery({
    queryKey: tasksKey(model),
    queryFn: () => got(api.GET("/api/service/tasks", { params: { query: { model } } })),
    placeholderData: (before) => before,
  });
  const arrange = useTasksWrite(model, (order: string[]) =>
    got(api.POST("/api/service/order", { body: { model_id: model, order, why: "" } })),
  );
  useTitle("Tasks of service");
  if (!tasks.data) return tasks.error ? <ErrorNote error={tasks.error} /> : <Loading what="the tasks of service" />;
  const done = tasks.data.tasks.filter((t) => !t.off);
  const off = tasks.data.tasks.filter((t) => t.off);
  const proposed = done.filter((t) => t.proposed);
  const order = done.map((t) => t.id);
  const moved = (i: number, by: number) => {
    const next = [...order];
    next.splice(i + by, 0, ...next.splice(i, 1));
    arrange.mutate(next);
  };
  return (
    <section className="sheet mx-auto grid max-w-4xl gap-4" aria-labelledby="tasks">
      <div className="flex flex-wrap items-end justify-between gap-x-6 gap-y-2">
        <div>
          <p className="text-ink2">
            <Link to="/rounds">All rounds</Link>
          </p>
          <h1 id="tasks">Tasks of service</h1>
        </div>
        <div className="w-80">
          <Field label="As it is for">
            {(fid) => (
              <select
                id={fid}
                className={INPUT}
                value={model ?? ""}
                onChange={(e) => setModel(e.target.value ? Number(e.target.value) : null)}
              >
                <option value="">the workshop</option>
                {tasks.data.models.map((m) => (
                  <option key={m.id} value={m.id}>
                    {m.name}, as its maker has it
                  </option>
                ))}
              </select>
            )}
          </Field>
        </div>
      </div>
      <p className="max-w-[44em] text-ink2">
        A maker's own list goes first, then the workshop's, then what is typical. In the order of a round.
      </p>
      {proposed.length ? (
        <div className="grid gap-2 border-l-[5px] border-go pl-4">
          <h2>What the rounds tell</h2>
          {proposed.map((t) => (
            <Proposed key={t.id} t={t} model={model} lead={lead} />
          ))}
        </div>
      ) : null}
      {lead ? (
        <div className="flex flex-wrap gap-3">
          <Button aria-pressed={ordering} onClick={() => setOrdering(!ordering)}>
            {ordering ? "The order is right" : "Put them in another order"}
          </Button>
          {tasks.data.arranged ? (
            <Button disabled={arrange.isPending} onClick={() => arrange.mutate([])}>
              {model === null ? "In the order in which they came" : "In the workshop's order"}
            </Button>
          ) : null}
        </div>
      ) : null}
      <ErrorNote error={arrange.error} />
      <ol className="rows">
        {done.map((t, i) => (
          <Row
            key={t.id}
            t={t}
            model={model}
            lead={lead}
            earlier={ordering && i > 0 ? () => moved(i, -1) : undefined}
            later={ordering && i < done.length - 1 ? () => moved(i, 1) : undefined}
            busy={arrange.isPending}
          />
        ))}
      </ol>
      {off.length ? (
        <div>
          <h2>Not done here</h2>
          <ul className="rows">
            {off.map((t) => (
              <Row key={t.id} t={t} model={model} lead={lead} busy={false} />
            ))}
          </ul>
        </div>
      ) : null}
      {lead ? (
        adding ? (
          <AddTask all={tasks.data} model={model} leave={() => setAdding(false)} />
        ) : (
          <Button className="justify-self-start" onClick={() => setAdding(true)}>
            {model === null ? "Add a task of your own" : "Add a task of its maker's"}
          </Button>
        )
      ) : null}
    </section>
  );
}

function Proposed({ t, model, lead }: { t: Task; model: number | null; lead: boolean }) {
  const p = t.proposed!;
  const accept = useTasksWrite(model, () =>
    got(
      api.POST("/api/service/tasks/{task}/learned", {
        params: { path: { task: t.id } },
        body: { model_id: model },
      }),
    ),
  );
  return (
    <div className="flex flex-wrap items-center gap-x-5 gap-y-2 py-1">
      <span className="flex-1">
        <b>{t.label}</b>
        <span className="block">
          {p.why} Now every {every(t.every)}; <b>instead every {every(p.every)}</b>.
        </span>
        <span className="block text-[15px] text-ink2">
          Something is found {rate(p.low)} to {rate(p.high)} times in an interval (90 % sure).
        </span>
      </span>
      {lead ? (
        <Button
          disabled={accept.isPending}
          onClick={() => accept.mutate(undefined)}
          aria-label={`Take it: ${t.label}, every ${every(p.every)}`}
        >
          Take it
        </Button>
      ) : null}
      <ErrorNote error={accept.error} />
    </div>
  );
}

const rate = (v: number) => (v < 0.01 ? "0" : v.toPrecision(2));

type RowProps = {
  t: Task;
  model: number | null;
  lead: boolean;
  earlier?: () => void;
  later?: () => void;
  busy: boolean;
};

function Row({ t, model, lead, earlier, later, busy }: RowProps) {
  const [open, setOpen] = useState(false);
  return (
    <li className="grid gap-1.5 py-2.5">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-1.5">
        <span className="flex-1">
          <b className="text-[18px]">{t.label}</b>
          <span className="block">
            every <span className="font-mono">{every(t.every)}</span>,{" "}
            <span className="text-ink2">{SOURCE[t.source]}</span>
          </span>
        </span>
        {lead && !open ? (
          <span className="flex flex-wrap gap-2">
            {earlier ? (
              <Button disabled={busy} onClick={earlier} aria-label={`Earlier: ${t.label}`}>
                Earlier
              </Button>
            ) : null}
            {later ? (
              <Button disabled={busy} onClick={later} aria-label={`Later: ${t.label}`}>
                Later
              </Button>
            ) : null}
            {earlier || later ? null : (
              <Button onClick={() => setOpen(true)} aria-label={`Change it: ${t.label}`}>
                Change it
              </Button>
            )}
          </span>
        ) : null}
      </div>
      {t.changed.map((c) => (
        <p key={c.field} className="text-[15px] text-ink2">
          {c.maker ? "The maker's: " : "Changed here: "}
          {FIELD[c.field] ?? c.field}
          {c.field === "every" ? `, before every ${every(t.came)}` : ""}. {c.who}, {ago(c.at)}
          {c.why ? `: ${c.why}` : ""}
        </p>
      ))}
      {open ? <ChangeTask t={t} model={model} leave={() => setOpen(false)} /> : null}
    </li>
  );
}

const FIELD: Record<string, string> = {
  every: "how often",
  label: "its name",
  minutes: "minutes",
  steps: "its steps",
  tools: "its tools",
  caution: "its caution",
  trouble: "what to look for",
  off: "not done",
};
