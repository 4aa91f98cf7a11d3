/** Minutes and money: what each machine took in a year beside what it printed; what speaks for giving one up, for the lead to decide. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { Button, ErrorNote, Loading, useTitle } from "../kit/bits";
import { onDay } from "../kit/figures";
import { atLeast, useMe } from "../session/me";
import { Deciding } from "./Deciding";
import { MachineRow } from "./MachineRow";
import { Prices } from "./Prices";
import { type MachineTook, WORTH, type Worth } from "./worth";

export function WorthPage() {
  useTitle("Minutes and money");
  const lead = atLeast(useMe(), "lead");
  const worth = useQuery(WORTH);
  if (!worth.data) return worth.error ? <ErrorNote error={worth.error} /> : <Loading what="what the machines took" />;
  const { machines } = worth.data;
  const speaking = machines.filter((m) => m.reasons.some((r) => r.undecided));
  const there = machines.filter((m) => !m.retired);
  const gone = machines.filter((m) => m.retired);
  return (
    <div className="mx-auto grid max-w-5xl gap-4">
      <section className="sheet grid gap-3" aria-labelledby="worth">
        <div>
          <p className="text-ink2">
            <Link to="/rounds">All rounds</Link>
          </p>
          <h1 id="worth">{speaking.length ? "To decide" : "Minutes and money"}</h1>
        </div>
        {speaking.length ? (
          <ul className="rows">
            {speaking.map((m, i) => (
              <ToDecide key={m.printer_id} m={m} lead={lead} first={i === 0} />
            ))}
          </ul>
        ) : (
          <p>Nothing speaks against going on with any machine.</p>
        )}
      </section>
      <section className="sheet grid gap-3" aria-labelledby="took">
        <div>
          <h2 id="took">What each took since {onDay(worth.data.since)}</h2>
          <p className="text-[15px] text-ink2">
            Minutes are reckoned by what each step takes (typical, or as the workshop has it), not clocked.
          </p>
        </div>
        {there.length ? (
          <ul className="rows">
            {there.map((m) => (
              <MachineRow key={m.printer_id} m={m} w={worth.data} lead={lead} />
            ))}
          </ul>
        ) : (
          <p>There is no machine on the floor yet.</p>
        )}
      </section>
      {gone.length ? <GivenUp rows={gone} lead={lead} /> : null}
      <Prices w={worth.data} lead={lead} />
    </div>
  );
}

function ToDecide({ m, lead, first }: { m: MachineTook; lead: boolean; first: boolean }) {
  const [open, setOpen] = useState(false);
  return (
    <li className="grid gap-2 py-3">
      <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
        <span className="flex-1">
          <Link to={`/machines/${m.printer_id}`} className="text-[20px] font-semibold">
            {m.printer}
          </Link>{" "}
          <span className="text-ink2">{m.area}</span>
          {m.reasons.map((r) => (
            <span key={r.words} className="block">
              {r.words}
            </span>
          ))}
        </span>
        {lead && !open ? (
          <Button next={first} onClick={() => setOpen(true)} aria-label={`Decide of ${m.printer}`}>
            Decide
          </Button>
        ) : null}
      </div>
      {open ? <Deciding m={m} leave={() => setOpen(false)} /> : null}
      {lead ? null : <p className="text-[15px] text-ink2">The lead decides.</p>}
    </li>
  );
}

function GivenUp({ rows, lead }: { rows: Worth["machines"]; lead: boolean }) {
  const [open, setOpen] = useState<number | null>(null);
  return (
    <section className="sheet grid gap-3" aria-labelledby="given-up">
      <h2 id="given-up">Given up</h2>
      <ul className="rows">
        {rows.map((m) => (
          <li key={m.printer_id} className="grid gap-2 py-2.5">
            <div className="flex flex-wrap items-center gap-x-5 gap-y-1">
              <span className="flex-1">
                <Link to={`/machines/${m.printer_id}`} className="font-semibold">
                  {m.printer}
                </Link>
                {m.decided ? (
                  <span className="block text-ink2">
                    {m.decided.why} {onDay(m.decided.at)}, {m.decided.by}.
                  </span>
                ) : null}
              </span>
              {lead && open !== m.printer_id ? (
                <Button onClick={() => setOpen(m.printer_id)} aria-label={`Take it back: ${m.printer}`}>
                  Take it back
                </Button>
              ) : null}
            </div>
            {open === m.printer_id ? <Deciding m={m} leave={() => setOpen(null)} /> : null}
          </li>
        ))}
      </ul>
    </section>
  );
}
