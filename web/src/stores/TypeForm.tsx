/** What is told of a type of part: its name, life, what it fits; and of the drawer in which it lies. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../api/client";
import { Button, ErrorNote, Field, fieldError, INPUT, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { saidPlace } from "../kit/words";
import { type Drawer, type PartType, type Stores, useStoresWrite } from "./stores";

const text = (v: number | string | null | undefined) => (v == null ? "" : String(v));

export function TypeForm({ stores, t, leave }: { stores: Stores; t?: PartType; leave: () => void }) {
  const [name, setName] = useState(t?.name ?? "");
  const [kind, setKind] = useState(t?.kind ?? "");
  const [life, setLife] = useState(text(t?.life_hours));
  const [lubricant, setLubricant] = useState(t?.lubricant ?? "");
  const [notes, setNotes] = useState(t?.notes ?? "");
  const [models, setModels] = useState<number[]>(t?.models ?? []);
  const [places, setPlaces] = useState<string[]>(t?.places ?? []);
  const shop = useQuery({ queryKey: ["workshop"], queryFn: () => got(api.GET("/api/workshop")) });
  const hours = life.trim() ? parseFigure(life) : null;
  const wrong =
    life.trim() && (hours === null || hours <= 0) ? "Enter hours above zero, or leave it empty." : undefined;
  const told = { name, life_hours: hours, lubricant, notes, models, places };
  const write = useStoresWrite(
    () =>
      t
        ? got(api.POST("/api/part-types/{type_id}", { params: { path: { type_id: t.id } }, body: told }))
        : got(api.POST("/api/part-types", { body: { ...told, kind } })),
    leave,
  );
  const turn = <T,>(rows: T[], row: T) => (rows.includes(row) ? rows.filter((r) => r !== row) : [...rows, row]);
  return (
    <form
      className="grid max-w-[40em] gap-3 border-l-[5px] border-line pl-4"
      onSubmit={(e) => {
        e.preventDefault();
        if (!wrong) write.mutate(undefined);
      }}
    >
      <TextField
        label="Name"
        hint="As you would order it."
        required
        minLength={2}
        maxLength={80}
        value={name}
        error={fieldError(write.error, "name")}
        onText={setName}
      />
      {t ? null : (
        <Field label="It is a" error={fieldError(write.error, "kind")}>
          {(fid) => (
            <select id={fid} className={INPUT} required value={kind} onChange={(e) => setKind(e.target.value)}>
              <option value="">choose</option>
              {Object.entries(stores.kinds)
                .sort((a, b) => a[1].localeCompare(b[1]))
                .map(([id, label]) => (
                  <option key={id} value={id}>
                    {label}
                  </option>
                ))}
            </select>
          )}
        </Field>
      )}
      <TextField
        label="Its life here, h"
        hint="Empty: typical of its kind."
        figure
        maxLength={12}
        value={life}
        error={wrong ?? fieldError(write.error, "life_hours")}
        onText={setLife}
      />
      <TextField
        label="Lubricated with"
        hint="Empty: by its material."
        maxLength={200}
        value={lubricant}
        onText={setLubricant}
      />
      <TextField label="Notes" maxLength={400} value={notes} onText={setNotes} />
      <details>
        <summary className="min-h-11 cursor-pointer py-2 font-semibold">
          Fits {models.length ? `${models.length} of the models` : "all models"}
          {places.length ? `, at ${places.map((p) => saidPlace(p)).join(", ")}` : ""}
        </summary>
        <fieldset>
          <legend className="text-[15px] font-semibold">Only these models</legend>
          <div className="grid gap-x-4 sm:grid-cols-2">
            {shop.data?.models.map((m) => (
              <label key={m.id} className="flex min-h-11 items-center gap-2">
                <input
                  type="checkbox"
                  className="h-5 w-5 accent-[var(--ink)]"
                  checked={models.includes(m.id)}
                  onChange={() => setModels(turn(models, m.id))}
                />
                {m.name}
              </label>
            ))}
          </div>
        </fieldset>
        <fieldset>
          <legend className="text-[15px] font-semibold">Only at</legend>
          <div className="grid gap-x-4 sm:grid-cols-4">
            {stores.places.map((p) => (
              <label key={p} className="flex min-h-11 items-center gap-2">
                <input
                  type="checkbox"
                  className="h-5 w-5 accent-[var(--ink)]"
                  checked={places.includes(p)}
                  onChange={() => setPlaces(turn(places, p))}
                />
                {saidPlace(p)}
              </label>
            ))}
          </div>
        </fieldset>
      </details>
      <ErrorNote error={write.error} />
      <div className="flex flex-wrap gap-3">
        <Button next type="submit" disabled={write.isPending}>
          {t ? "Keep it so" : "Add it"}
        </Button>
        <Button onClick={leave}>Leave it</Button>
      </div>
    </form>
  );
}

export function DrawerForm({ typeId, d, leave }: { typeId: number; d?: Drawer; leave: () => void }) {
  const [drawer, setDrawer] = useState(d?.drawer ?? "");
  const [minimum, setMinimum] = useState(text(d?.minimum ?? 1));
  const [days, setDays] = useState(text(d?.lead_days ?? 14));
  const [cost, setCost] = useState(text(d?.cost));
  const [ended, setEnded] = useState(d?.ended ?? false);
  const write = useStoresWrite(
    () =>
      got(
        api.POST("/api/part-types/{type_id}/drawer", {
          params: { path: { type_id: typeId } },
          body: {
            drawer,
            minimum: parseFigure(minimum) ?? -1,
            lead_days: parseFigure(days) ?? -1,
            cost: cost.trim() ? (parseFigure(cost) ?? -1) : null,
            ended,
          },
        }),
      ),
    leave,
  );
  return (
    <form
      className="grid max-w-[40em] gap-3 border-l-[5px] border-line pl-4"
      onSubmit={(e) => {
        e.preventDefault();
        write.mutate(undefined);
      }}
    >
      <TextField label="Where it lies" hint="Drawer or box." maxLength={40} value={drawer} onText={setDrawer} />
      <div className="grid gap-3 sm:grid-cols-3">
        <TextField
          label="At the least"
          figure
          required
          maxLength={4}
          value={minimum}
          error={fieldError(write.error, "minimum")}
          onText={setMinimum}
        />
        <TextField
          label="An order takes, days"
          figure
          required
          maxLength={3}
          value={days}
          error={fieldError(write.error, "lead_days")}
          onText={setDays}
        />
        <TextField
          label="One costs"
          figure
          maxLength={10}
          value={cost}
          error={fieldError(write.error, "cost")}
          onText={setCost}
        />
      </div>
      <label className="flex min-h-11 items-center gap-3">
        <input
          type="checkbox"
          className="h-6 w-6 accent-[var(--ink)]"
          checked={ended}
          onChange={(e) => setEnded(e.target.checked)}
        />
        No more of it can be had
      </label>
      <ErrorNote error={write.error} />
      <div className="flex flex-wrap gap-3">
        <Button next type="submit" disabled={write.isPending}>
          Keep it so
        </Button>
        <Button onClick={leave}>Leave it</Button>
      </div>
    </form>
  );
}
