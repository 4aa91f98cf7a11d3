/** One machine's year: what it printed, what it took, what stands of warranty and repair; open, where that came from. */
import { useState } from "react";
import { Link } from "react-router";
import { api, got } from "../api/client";
import { Button, ErrorNote, fieldError, TextField } from "../kit/bits";
import { onDay, parseFigure } from "../kit/figures";
import { counted } from "../kit/words";
import { Deciding } from "./Deciding";
import { about, exactly, hoursOf, type MachineTook, minutesOf, perHundred, useWorthWrite, type Worth } from "./worth";

const DECIDED = { keep: "Kept", retire: "Given up", warranty: "Back under warranty" };

type Props = { m: MachineTook; w: Worth; lead: boolean };

export function MachineRow({ m, w, lead }: Props) {
  const [open, setOpen] = useState(false);
  const hundred = perHundred(m);
  return (
    <li className="grid gap-2 py-3">
      <div className="grid items-baseline gap-x-5 gap-y-1 md:grid-cols-[11rem_repeat(4,1fr)_auto]">
        <Link to={`/machines/${m.printer_id}`} className="text-[19px] font-semibold">
          {m.printer}
        </Link>
        <Told value={printed(m)} words={m.kg == null ? "printed" : `printed, ${m.kg.toFixed(1)} kg`} />
        <Told
          value={hoursOf(minutesOf(m))}
          words={hundred == null ? "of people" : `of people, ${Math.round(hundred)} min per 100 h of print`}
        />
        <Told value={counted(m.fitted, "part", "parts")} words={parts(m, w.money)} />
        <Told value={`${stood(m.stood_days)}`} words="stood" />
        <Button
          onClick={() => setOpen(!open)}
          aria-expanded={open}
          aria-label={`${open ? "Less" : "More"} of ${m.printer}`}
        >
          {open ? "Less" : "More"}
        </Button>
      </div>
      {open ? <More m={m} w={w} lead={lead} /> : null}
    </li>
  );
}

function Told({ value, words }: { value: string; words: string }) {
  return (
    <span>
      <span className="block font-mono text-[19px]">{value}</span>
      <span className="block text-[15px] text-ink2">{words}</span>
    </span>
  );
}

function printed(m: MachineTook): string {
  if (m.printed_hours == null) return "not known";
  const off = m.printed_u95 ?? 0;
  return off < 0.01 * m.printed_hours || off < 1
    ? `${Math.round(m.printed_hours)} h`
    : `${Math.round(m.printed_hours)} ± ${Number(off.toPrecision(1))} h`;
}

function parts(m: MachineTook, money: string): string {
  if (!m.fitted) return "fitted";
  if (m.unpriced === m.fitted) return "without a price";
  const some = m.unpriced ? `, ${m.unpriced} without a price` : "";
  return `${exactly(m.parts_cost, money)}${some}`;
}

const stood = (days: number) => (days > 0 && days < 1 ? "under a day" : counted(Math.round(days), "day", "days"));

function More({ m, w, lead }: Props) {
  const [open, setOpen] = useState<"" | "quote" | "warranty" | "decide">("");
  const shut = () => setOpen("");
  return (
    <div className="grid gap-3 border-l-[5px] border-line pl-4">
      <p>
        Rounds {hoursOf(m.rounds)}, measuring {hoursOf(m.measuring)}, cases and fitting {hoursOf(m.cases)}.
        {m.faults_cost == null ? "" : ` Faults and parts cost ${about(m.faults_cost, w.money)}.`}
      </p>
      {m.reasons.map((r) => (
        <p key={r.words}>{r.words}</p>
      ))}
      <p>
        {m.quote
          ? `A repair: parts for ${exactly(m.quote.parts, w.money)} and ${m.quote.hours} h, told by ${m.quote.by}. ${m.quote.words}`
          : "A repair is reckoned by the parts in trouble and the minutes of cases here."}
        {m.repair == null ? "" : ` It comes to ${about(m.repair, w.money)}.`}
        {m.a_year == null ? "" : ` A year of another one costs ${about(m.a_year, w.money)}.`}
      </p>
      <p>
        {m.warranty_until ? `Under warranty until ${onDay(m.warranty_until)}.` : "Nobody told of a warranty."}
        {m.decided
          ? ` ${DECIDED[m.decided.decided]} on ${onDay(m.decided.at)} by ${m.decided.by}: ${m.decided.why}`
          : ""}
      </p>
      {open === "" ? (
        <div className="flex flex-wrap gap-3">
          <Button onClick={() => setOpen("quote")}>What a repair takes</Button>
          {lead ? <Button onClick={() => setOpen("warranty")}>Warranty</Button> : null}
          {lead ? <Button onClick={() => setOpen("decide")}>Decide</Button> : null}
        </div>
      ) : null}
      {open === "quote" ? <QuoteForm m={m} leave={shut} /> : null}
      {open === "warranty" ? <WarrantyForm m={m} leave={shut} /> : null}
      {open === "decide" ? <Deciding m={m} leave={shut} /> : null}
    </div>
  );
}

function QuoteForm({ m, leave }: { m: MachineTook; leave: () => void }) {
  const [parts, setParts] = useState(m.quote ? String(Number(m.quote.parts)) : "");
  const [hours, setHours] = useState(m.quote ? String(m.quote.hours) : "");
  const [words, setWords] = useState(m.quote?.words ?? "");
  const typed = (text: string) => (text.trim() ? (parseFigure(text) ?? -1) : 0);
  const write = useWorthWrite(
    () =>
      got(
        api.POST("/api/service/worth/quote", {
          body: { printer_id: m.printer_id, parts: typed(parts), hours: typed(hours), words },
        }),
      ),
    leave,
  );
  return (
    <form
      className="grid gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        write.mutate(undefined);
      }}
    >
      <div className="grid gap-3 sm:grid-cols-[9rem_9rem_1fr]">
        <TextField
          label="Parts, money"
          figure
          maxLength={10}
          value={parts}
          error={fieldError(write.error, "parts")}
          onText={setParts}
        />
        <TextField
          label="Hours of people"
          figure
          maxLength={6}
          value={hours}
          error={fieldError(write.error, "hours")}
          onText={setHours}
        />
        <TextField label="Whose offer, or how reckoned" maxLength={200} value={words} onText={setWords} />
      </div>
      <p className="text-[15px] text-ink2">Both empty: it is reckoned again.</p>
      <Ends error={write.error} busy={write.isPending} leave={leave} />
    </form>
  );
}

function WarrantyForm({ m, leave }: { m: MachineTook; leave: () => void }) {
  const [until, setUntil] = useState(m.warranty_until ?? "");
  const write = useWorthWrite(
    () => got(api.POST("/api/service/worth/warranty", { body: { printer_id: m.printer_id, until: until || null } })),
    leave,
  );
  return (
    <form
      className="grid max-w-[24em] gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        write.mutate(undefined);
      }}
    >
      <TextField
        label="Under warranty until"
        type="date"
        hint="Empty: not known."
        value={until}
        error={fieldError(write.error, "until")}
        onText={setUntil}
      />
      <Ends error={write.error} busy={write.isPending} leave={leave} />
    </form>
  );
}

function Ends({ error, busy, leave }: { error: unknown; busy: boolean; leave: () => void }) {
  return (
    <>
      <ErrorNote error={error} />
      <div className="flex flex-wrap gap-3">
        <Button next type="submit" disabled={busy}>
          Keep it so
        </Button>
        <Button onClick={leave}>Leave it</Button>
      </div>
    </>
  );
}
