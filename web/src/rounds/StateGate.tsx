/** Before the machine is worked on in another state than it was: what to do, and that it was done. */
import type { Schemas } from "../api/client";
import { Button, useKey } from "../kit/bits";

type State = Schemas["TaskDueOut"]["state"];

const GATE: Record<State, { to: string; how: string; done: string }> = {
  unplugged: {
    to: "Unplug the machine",
    how: "Pull the plug; the switch alone does not do. Wait until its supplies have discharged. The mains side is for a qualified person.",
    done: "It is unplugged",
  },
  cold: {
    to: "Let it be cold, heaters off",
    how: "Nozzle and bed burn for a good while after. Hold the back of a hand near before you touch.",
    done: "It is cold",
  },
  powered: {
    to: "Refit everything, then plug it in",
    how: "The plate is on before anything homes. Hands and cloths out: motors may start by themselves when it gets power.",
    done: "It has power, hands are out",
  },
  hot: {
    to: "Heat it",
    how: "The plate is on, the axis lifted. From now on nozzle and bed burn: gloves, and nobody else near.",
    done: "It is hot, gloves at hand",
  },
};

export function StateGate({ state, next, onDone }: { state: State; next: string; onDone: () => void }) {
  useKey("1", onDone);
  const { to, how, done } = GATE[state];
  return (
    <div className="grid gap-4">
      <h1 className="!text-[34px]">{to}</h1>
      <p className="max-w-[36em] text-[20px]">{how}</p>
      <p className="text-ink2">Then: {next}</p>
      <Button next keyHint="1" className="justify-self-start" onClick={onDone}>
        {done}
      </Button>
    </div>
  );
}
