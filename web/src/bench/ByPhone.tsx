/** A first look with this phone: fixed to what moves, it writes down how that swings while it is knocked. */
import { useEffect, useRef, useState } from "react";
import { Button, Choices, ErrorNote, TextField } from "../kit/bits";
import { parseFigure } from "../kit/figures";
import type { Also } from "./drawing";
import {
  apart,
  KNOCKS,
  knocks,
  type Lie,
  listen,
  RATES,
  type Reading,
  rateOf,
  SECONDS,
  STILL_S,
  stepOf,
  table,
  turned,
  upright,
  way,
} from "./phone";

const LIES: { value: Lie; label: string }[] = [
  { value: "flat-x", label: "Flat, long side along X" },
  { value: "flat-y", label: "Flat, long side along Y" },
  { value: "up-y", label: "Upright, screen to the front" },
  { value: "up-x", label: "Upright, screen to the side" },
];
const SETTLES_S = 3;
type Stage = { words: string; left: number; note: string };

export function ByPhone(also: Also) {
  const { taking, simulated, open, onOpen } = also;
  const can = way();
  const begin = () => {
    taking.setText("excitation", "impulse");
    taking.setText("unit", "m/s2");
    if (!taking.texts.added_g) taking.setText("added_g", "250");
    onOpen(true);
  };
  if (open) return <Recording {...also} />;
  return (
    <div className="grid gap-2 border-t border-hair pt-3">
      <p className="text-[15px] text-ink2">
        {can === "insecure"
          ? "This phone's motion sensor can be read over a secure address only (https). Whoever runs Kestov here can switch that on."
          : can === "none"
            ? "No accelerometer at hand? Open this page on a phone: fixed to what moves, it takes a first look."
            : "No accelerometer at hand? This phone, fixed to what moves, takes a first look."}
      </p>
      {can === "rates" || can === "one" || simulated ? (
        <Button className="justify-self-start" onClick={begin}>
          {can === "rates" || can === "one" ? "With this phone" : "With a simulated phone"}
        </Button>
      ) : null}
    </div>
  );
}

function Recording({ page, taking, simulated, onOpen }: Also) {
  const can = way();
  const here = can === "rates" || can === "one";
  const [lie, setLie] = useState<Lie>("flat-x");
  const [stage, setStage] = useState<Stage | null>(null);
  const [seen, setSeen] = useState("");
  const [error, setError] = useState<unknown>(null);
  const [missing, setMissing] = useState<{ phone?: string; moves?: string }>({});
  const [made, setMade] = useState<File | null>(null);
  const over = useRef(false);
  const ends = useRef<(() => void) | null>(null);
  useEffect(() => {
    over.current = false;
    return () => {
      over.current = true;
      ends.current?.();
    };
  }, []);

  /** Take readings for so long, telling how it goes four times a second. */
  const take = async (rate: number, seconds: number, told: (readings: Reading[], left: number) => void) => {
    const readings: Reading[] = [];
    ends.current = await listen(rate, (r) => readings.push(r));
    const until = performance.now() + 1000 * seconds;
    while (!over.current && performance.now() < until) {
      told(readings, Math.ceil((until - performance.now()) / 1000));
      await new Promise((r) => setTimeout(r, 250));
    }
    ends.current();
    ends.current = null;
    return readings;
  };

  const run = async () => {
    setError(null);
    // Not waited for: some browsers ask about motion only straight after the tap.
    const lock = navigator.wakeLock?.request("screen").catch(() => null);
    try {
      await take(RATES[0]!, SETTLES_S, (_, left) => setStage({ words: "Hands off", left, note: "It settles." }));
      const rest = await take(RATES[0]!, STILL_S, (_, left) =>
        setStage({ words: "Leave it still", left, note: "How finely it reads, and how it lies, is measured." }),
      );
      const up = upright(rest);
      const axes = up && turned(lie, up);
      if (over.current) return;
      if (!axes)
        throw new Error("It does not lie as was said, or it moved. See how it is fixed, choose that, and begin again.");
      setSeen(reach([rateOf(rest)], stepOf(rest), can === "rates"));
      const stretches: Reading[][] = [];
      for (const [i, rate] of (can === "rates" ? RATES : RATES.slice(0, 1)).entries()) {
        const readings = await take(rate, SECONDS, (so, left) =>
          setStage({
            words: `Knock along ${page.place.toUpperCase()}`,
            left,
            note: `${knocks(so, rest)} of ${KNOCKS} knocks, two seconds apart${can === "rates" ? `; ${i + 1}. of ${RATES.length} goes` : ""}.`,
          }),
        );
        if (over.current) return;
        stretches.push(readings);
        const rates = stretches.map(rateOf);
        const more = i + 1 < RATES.length && can === "rates" && apart(rates).length === rates.length;
        setSeen(reach(rates, stepOf([rest, ...stretches].flat()), more));
        // What gives the same whatever it is asked for gives no more another time.
        if (!more) break;
        setStage({ words: "Wait", left: 1, note: "Another rate comes." });
        await new Promise((r) => setTimeout(r, 1000));
      }
      setStage(null);
      const file = new File([table(stretches, axes)], "phone.csv", { type: "text/csv" });
      setMade(file);
      taking.file.mutate({ file, instrument: null });
    } catch (e) {
      ends.current?.();
      if (!over.current) {
        setStage(null);
        setError(e);
      }
    } finally {
      await (await lock)?.release().catch(() => null);
    }
  };
  const start = (go: () => void) => () => {
    const figure = (text: string | undefined) => (parseFigure(text ?? "") ?? 0) > 0;
    const wrong = {
      phone: figure(taking.texts.added_g) ? undefined : "Weigh it, or guess: it counts.",
      moves: figure(taking.texts.moved_g) ? undefined : "Weigh or guess it, within a third: it counts.",
    };
    setMissing(wrong);
    if (!wrong.phone && !wrong.moves) go();
  };
  if (stage)
    return (
      <section aria-label="With a phone" className="grid gap-2 border-t border-hair pt-3">
        <p className="text-[28px] font-semibold">
          <span role="status">{stage.words}</span>{" "}
          <span className="font-mono" aria-hidden="true">
            {stage.left} s
          </span>
        </p>
        <p>{stage.note}</p>
        {seen ? <p className="text-[15px] text-ink2">{seen}</p> : null}
        <Button className="justify-self-start" onClick={() => onOpen(false)}>
          Stop
        </Button>
      </section>
    );
  return (
    <section aria-label="With a phone" className="grid gap-3 border-t border-hair pt-3">
      <p>
        Fix it so firmly that it cannot rattle, out of its case, to what moves along {page.place.toUpperCase()}. Motors
        on and holding, nozzle and bed cold. Then knock with a knuckle along {page.place.toUpperCase()}, {KNOCKS} times,
        two seconds apart.
      </p>
      {here ? <Choices label="How is it fixed?" options={LIES} value={lie} onChange={setLie} /> : null}
      <div className="grid gap-3 sm:grid-cols-2">
        <TextField
          label="The phone weighs, g"
          hint="With its holder."
          error={missing.phone}
          figure
          value={taking.texts.added_g ?? ""}
          onText={(t) => taking.setText("added_g", t)}
        />
        <TextField
          label="What moves with it weighs, g"
          hint="Head with carriage, or bed with plate and carriage."
          error={missing.moves}
          figure
          value={taking.texts.moved_g ?? ""}
          onText={(t) => taking.setText("moved_g", t)}
        />
      </div>
      <div className="flex flex-wrap gap-3">
        {made && taking.error ? (
          <Button
            next
            disabled={taking.busy}
            onClick={start(() => taking.file.mutate({ file: made, instrument: null }))}
          >
            Work it out again
          </Button>
        ) : null}
        {here ? (
          <Button next={!(made && taking.error)} disabled={taking.busy} onClick={start(run)}>
            Begin
          </Button>
        ) : null}
        {simulated ? (
          <Button
            next={!here}
            disabled={taking.busy}
            onClick={start(() => taking.device.mutate({ from: "stand-in", instrument: null }))}
          >
            Knock the simulated machine
          </Button>
        ) : null}
        <Button onClick={() => onOpen(false)}>Not with a phone</Button>
      </div>
      {seen ? <p className="text-[15px] text-ink2">{seen}</p> : null}
      <ErrorNote error={error} />
    </section>
  );
}

/** What so many readings a second can and cannot show; `more`: other rates are to come. */
export function reach(rates: number[], step: number, more: boolean): string {
  const mine = apart(rates);
  const told = new Intl.ListFormat("en").format(mine.map((r) => r.toFixed(0)));
  const alone = Math.floor(Math.min(...mine) / 2);
  const finer = step ? `, in steps of ${step < 0.01 ? "under 0.01" : step.toFixed(2)} m/s²` : "";
  const higher = more
    ? `Up to ${alone} Hz it sees by itself; other rates are to tell what rings higher.`
    : mine.length > 1
      ? `Up to ${alone} Hz it sees by itself; what rings higher the rates tell together, as a rule up to some 100 Hz (typical).`
      : `What rings above ${alone} Hz looks like something below: the answer names all that it may be.`;
  return `It reads ${told} times a second${finer}. ${higher}`;
}
