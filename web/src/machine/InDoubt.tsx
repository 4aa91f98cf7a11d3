/** What may no longer be believed on a machine after what was done to it, in a line, with the way back. */
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, got } from "../api/client";
import { counted, inside } from "../kit/words";

/** Under the machine's own key: whatever tells that the machine has changed, changes this, too. */
export const useBaseline = (id: number) =>
  useQuery({
    queryKey: ["printer", id, "baseline"],
    queryFn: () => got(api.GET("/api/printers/{printer_id}/baseline", { params: { path: { printer_id: id } } })),
  });

export function InDoubt({ id, className = "" }: { id: number; className?: string }) {
  const plan = useBaseline(id);
  if (!plan.data?.steps.length) return null;
  const { steps, minutes } = plan.data;
  return (
    <section className={`grid gap-2 ${className}`} aria-labelledby="doubted">
      <h2 id="doubted">In doubt</h2>
      <p>
        <b>{counted(steps.length, "thing", "things")}</b> may no longer be believed: {inside(steps[0]!.why)} The way
        back takes about <span className="font-mono">{Math.round(minutes)}</span> minutes.
      </p>
      <Link
        to={`/machines/${id}/baseline`}
        className="inline-flex min-h-12 items-center justify-self-start rounded-[3px] border border-line px-5 font-semibold no-underline hover:bg-well"
      >
        The way back, in order
      </Link>
    </section>
  );
}
