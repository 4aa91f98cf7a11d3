/** The way back as one sitting: over each page that it leads to, what is being done, how much is left, and the step that comes next. */
import { useEffect } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import type { Schemas } from "../api/client";
import { Button, useKey } from "../kit/bits";
import { counted, inside } from "../kit/words";
import { useBaseline } from "./InDoubt";
import { stepPath } from "./steps";

type Step = Schemas["PlanStep"];

/** Which machine's way back is being worked through on this device. */
const SITTING = "sitting";
const begun = () => Number(sessionStorage.getItem(SITTING)) || null;

export const beginSitting = (id: number) => sessionStorage.setItem(SITTING, String(id));
const endSitting = () => sessionStorage.removeItem(SITTING);

export function WayBar() {
  const { pathname } = useLocation();
  const id = begun();
  const here = id !== null && (pathname.startsWith(`/bench/${id}/`) || pathname === `/machines/${id}/stored`);
  return here ? <Bar key={id} id={id} pathname={pathname} /> : null;
}

/** Where one stands: the step of this page, if it still is to be done, and the one that comes after. */
export function standing(id: number, steps: Step[], pathname: string): { now: Step | null; next: Step | null } {
  const at = steps.findIndex((s) => stepPath(id, s) === pathname);
  const now = steps[at] ?? null;
  return { now, next: steps.find((s, i) => i > at && stepPath(id, s) !== pathname) ?? null };
}

function Bar({ id, pathname }: { id: number; pathname: string }) {
  const go = useNavigate();
  const plan = useBaseline(id);
  const steps = plan.data?.steps ?? [];
  const { now, next } = standing(id, steps, pathname);
  const through = plan.data !== undefined && !steps.length;
  useEffect(() => {
    if (through) endSitting();
  }, [through]);
  const on = next ? () => go(stepPath(id, next)) : null;
  useKey("0", on);
  if (!plan.data) return null;
  return (
    <aside
      className="mb-4 flex flex-wrap items-center gap-x-5 gap-y-2 border-y border-line bg-sheet px-5 py-2"
      aria-label="The way back"
    >
      <p className="flex-1" aria-live="polite">
        {through ? (
          <>
            <b>All of it is done:</b> nothing is in doubt.
          </>
        ) : (
          <>
            <b>{now ? now.title : "Done here"}.</b>{" "}
            <span className="text-ink2">
              {counted(steps.length, "thing", "things")} to go, about {Math.round(plan.data.minutes)} minutes.
              {now && next ? ` Then: ${inside(next.title)}.` : ""}
            </span>
          </>
        )}
      </p>
      {on && next ? (
        <Button next={!now} keyHint="0" onClick={on}>
          {now ? "Leave it, go on" : `Next: ${inside(next.title)}`}
        </Button>
      ) : null}
      <Link
        to={through ? `/machines/${id}` : `/machines/${id}/baseline`}
        onClick={endSitting}
        className="inline-flex min-h-11 items-center"
      >
        {through ? "To the machine" : "Stop for now"}
      </Link>
    </aside>
  );
}
