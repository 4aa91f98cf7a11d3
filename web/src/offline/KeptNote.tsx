/** Said where an answer would stand while the entry waits on this device; nothing once it has gone out. */
import { useSent } from "./entries";

export function KeptNote({ id }: { id: string }) {
  if (useSent(id)) return null;
  return (
    <p role="status" className="border-l-4 border-ink bg-well px-3 py-2 text-[17px]">
      <b>Kept on this device.</b> The workshop cannot be reached. It goes out by itself, and the figure comes when the
      network is back.
    </p>
  );
}
