/** Said where an answer would stand while an entry waits on this device; nothing once it has gone out. */
import type { ReactNode } from "react";
import { ago } from "../kit/figures";
import { useSent, useWaiting } from "./useEntries";

type Props = { id: string; children?: ReactNode };

/** The children say what comes when the network is back: a figure, where nothing else is said. */
export function KeptNote({ id, children = "the figure comes when the network is back" }: Props) {
  if (useSent(id)) return null;
  return (
    <p role="status" className="border-l-4 border-ink bg-well px-3 py-2 text-[17px]">
      <b>Kept on this device.</b> The workshop cannot be reached. It goes out by itself, and {children}.
    </p>
  );
}

/** What waits about this page, so that nobody enters it twice. */
export function WaitsHere({ about }: { about: string }) {
  const waiting = useWaiting(about);
  if (!waiting.length) return null;
  return (
    <section className="border-l-4 border-ink bg-well px-3 py-2" aria-label="Entered here and not sent yet">
      <h3 className="text-[15px] font-semibold">Entered here, not in the workshop yet</h3>
      <ul>
        {waiting.map((e) => (
          <li key={e.id} className="py-1">
            {e.words} <span className="text-[15px] text-ink2">{ago(new Date(e.at).toISOString())}</span>
            {e.refused ? <span className="block">Refused: {e.refused}</span> : null}
          </li>
        ))}
      </ul>
    </section>
  );
}
