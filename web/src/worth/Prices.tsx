/** What an hour of somebody's time costs, and what another machine of each model would: a repair is held against a year of one. */
import { useState } from "react";
import { api, got } from "../api/client";
import { Button, ErrorNote, fieldError, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import { exactly, useWorthWrite, type Worth } from "./worth";

export function Prices({ w, lead }: { w: Worth; lead: boolean }) {
  const [open, setOpen] = useState<number | "hour" | null>(null);
  return (
    <section className="sheet grid gap-3" aria-labelledby="prices">
      <div>
        <h2 id="prices">What things cost here</h2>
        <p className="text-[15px] text-ink2">
          A repair is dear where it costs more than a year of another machine: its price over the years that one lasts.
        </p>
      </div>
      <ul className="rows">
        <li className="grid gap-2 py-2.5">
          <Line
            words="An hour of somebody's time"
            value={w.hour == null ? "not told" : exactly(w.hour, w.money)}
            change={lead && open === null ? () => setOpen("hour") : null}
          />
          {open === "hour" ? <HourForm w={w} leave={() => setOpen(null)} /> : null}
        </li>
        {w.models.map((m) => (
          <li key={m.model_id} className="grid gap-2 py-2.5">
            <Line
              words={`Another ${m.model}`}
              value={m.another == null ? "not told" : `${exactly(m.another, w.money)} over ${m.lasts_years} years`}
              change={lead && open === null ? () => setOpen(m.model_id) : null}
            />
            {open === m.model_id ? <PriceForm m={m} leave={() => setOpen(null)} /> : null}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Line({ words, value, change }: { words: string; value: string; change: (() => void) | null }) {
  return (
    <div className="flex flex-wrap items-center gap-x-5 gap-y-1">
      <span className="flex-1">{words}</span>
      <span className="font-mono">{value}</span>
      {change ? (
        <Button onClick={change} aria-label={`Change: ${words}`}>
          Change
        </Button>
      ) : null}
    </div>
  );
}

const amount = (text: string) => (text.trim() ? (parseFigure(text) ?? -1) : null);
const shown = (value: string | number | null) => (value == null ? "" : String(Number(value)));

type Asked = { name: string; label: string; value: string; needed?: boolean };
type AskingProps = { fields: Asked[]; write: (typed: Record<string, string>) => Promise<Worth>; leave: () => void };

/** Figures that are told together, refused each at its field. */
function Asking({ fields, write, leave }: AskingProps) {
  const [typed, setTyped] = useState(Object.fromEntries(fields.map((f) => [f.name, f.value])));
  const tell = useWorthWrite(() => write(typed), leave);
  return (
    <form
      className="flex flex-wrap items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        tell.mutate(undefined);
      }}
    >
      {fields.map((f) => (
        <div key={f.name} className="w-44">
          <TextField
            label={f.label}
            figure
            required={f.needed}
            maxLength={10}
            value={typed[f.name]!}
            error={fieldError(tell.error, f.name)}
            onText={(text) => setTyped({ ...typed, [f.name]: text })}
          />
        </div>
      ))}
      <Button next type="submit" disabled={tell.isPending}>
        Keep it so
      </Button>
      <Button onClick={leave}>Leave it</Button>
      <ErrorNote error={tell.error} />
    </form>
  );
}

function HourForm({ w, leave }: { w: Worth; leave: () => void }) {
  return (
    <Asking
      fields={[{ name: "hour", label: "An hour costs", value: shown(w.hour) }]}
      write={(t) => got(api.POST("/api/service/worth/hour", { body: { hour: amount(t.hour!) } }))}
      leave={leave}
    />
  );
}

function PriceForm({ m, leave }: { m: Worth["models"][number]; leave: () => void }) {
  return (
    <Asking
      fields={[
        { name: "another", label: "Another costs", value: shown(m.another) },
        { name: "lasts_years", label: "One lasts, years", value: String(m.lasts_years), needed: true },
      ]}
      write={(t) => {
        const told = { another: amount(t.another!), lasts_years: parseFigure(t.lasts_years!) ?? -1 };
        return got(api.POST("/api/service/worth/price", { body: { model_id: m.model_id, ...told } }));
      }}
      leave={leave}
    />
  );
}
