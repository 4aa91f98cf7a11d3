/** Where a step of the way back is done. */
import type { Schemas } from "../api/client";
import { beltsPath, benchPath } from "../bench/paths";

/** At the bench, or where what is stored is read back. */
export function stepPath(id: number, s: Schemas["PlanStep"]): string {
  if (!s.procedure || !s.place) return `/machines/${id}/stored`;
  return s.rounds ? beltsPath(id, s.place) : benchPath(id, s.procedure, s.place);
}
