/** How far a piece of long work is, with the way to stop it. */
import { Button, ErrorNote } from "../kit/bits";
import { isOver, useStop, type Work } from "./outcome";

type Props = { work: Work; words?: string; onTold: (w: Work) => void };

export function WorkLine({ work, words, onTold }: Props) {
  const stop = useStop(onTold);
  if (isOver(work)) return null;
  const ending = work.stopping || stop.isPending;
  return (
    <div className="flex flex-wrap items-center gap-3">
      <p role="status" className="grid min-w-56 flex-1 gap-1">
        <span>{ending ? "Stopping at the next step …" : (words ?? far(work))}</span>
        {work.total ? (
          <progress className="w-full" max={work.total} value={work.done} aria-label={`Done so far: ${work.words}`} />
        ) : null}
      </p>
      <Button className="min-h-11" disabled={ending} onClick={() => stop.mutate(work.id)}>
        Stop
      </Button>
      <ErrorNote error={stop.error} />
    </div>
  );
}

/** A worker takes up at once what waits for nothing else (ms). */
const PATIENCE_MS = 20_000;

function far(work: Work): string {
  if (work.state === "waiting")
    return work.kind === "backup"
      ? "Waits for a worker that was given a folder for backups: ./kestov start --backups FOLDER"
      : Date.now() - Date.parse(work.at) > PATIENCE_MS
        ? "No worker has taken it up yet. Is one running? The lead sees that under Workshop, Long work."
        : "Waits for a worker …";
  return work.total ? `${work.done} of ${work.total} done, ${work.total - work.done} to go` : "Under way …";
}
