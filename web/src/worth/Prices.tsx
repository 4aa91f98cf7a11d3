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

function HourForm({ w, leave }: { w: Worth; leave: () => void }) {
  const [hour, setHour] = useState(w.hour == null ? "" : String(Number(w.hour)));
  const write = useWorthWrite(() => got(api.POST("/api/service/worth/hour", { body: { hour: amount(hour) } })), leave);
  return (
    <form
      className="flex flex-wrap items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        write.mutate(undefined);
      }}
    >
      <div className="w-44">
        <TextField
          label="An hour costs"
          figure
          maxLength={8}
          value={hour}
          error={fieldError(write.error, "hour")}
          onText={setHour}
        />
      </div>
      <Keep busy={write.isPending} error={write.error} leave={leave} />
    </form>
  );
}

function PriceForm({ m, leave }: { m: Worth["models"][number]; leave: () => void }) {
  const [another, setAnother] = useState(m.another == null ? "" : String(Number(m.another)));
  const [years, setYears] = useState(String(m.lasts_years));
  const write = useWorthWrite(
    () =>
      got(
        api.POST("/api/service/worth/price", {
          body: { model_id: m.model_id, another: amount(another), lasts_years: parseFigure(years) ?? -1 },
        }),
      ),
    leave,
  );
  return (
    <form
      className="flex flex-wrap items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        write.mutate(undefined);
      }}
    >
      <div className="w-44">
        <TextField
          label="Another costs"
          figure
          maxLength={10}
          value={another}
          error={fieldError(write.error, "another")}
          onText={setAnother}
        />
      </div>
      <div className="w-44">
        <TextField
          label="One lasts, years"
          figure
          required
          maxLength={4}
          value={years}
          error={fieldError(write.error, "lasts_years")}
          onText={setYears}
        />
      </div>
      <Keep busy={write.isPending} error={write.error} leave={leave} />
    </form>
  );
}

function Keep({ busy, error, leave }: { busy: boolean; error: unknown; leave: () => void }) {
  return (
    <>
      <Button next type="submit" disabled={busy}>
        Keep it so
      </Button>
      <Button onClick={leave}>Leave it</Button>
      <ErrorNote error={error} />
    </>
  );
}
