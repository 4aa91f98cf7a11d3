/** Whether this is the place for practice, and the lesson that goes on in it. */
import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";
import { practising } from "./beside";

export type Run = Schemas["PracticeRun"];
export type Done = Schemas["PracticeDone"];

export const usePractice = (when = true) =>
  useQuery({
    queryKey: ["practice"],
    queryFn: () => got(api.GET("/api/practice")),
    enabled: when,
    refetchInterval: when ? 4000 : false,
  });

/** The lesson that one is in, in practice; null in the workshop, or between lessons. */
export function useRun(): Run | null {
  const here = practising();
  const now = usePractice(here).data?.now ?? null;
  return here ? now : null;
}

/** Take over how a lesson stands after something was done in it. */
export function stands(client: QueryClient, run: Run): void {
  client.setQueryData(["practice"], (was: Schemas["PracticeOut"] | undefined) =>
    was ? { ...was, now: run.how ? null : run } : was,
  );
  if (run.how) void client.invalidateQueries({ queryKey: ["practice"] });
  client.setQueryData(["practice-run", run.id], run);
  void client.invalidateQueries({ queryKey: ["case", run.case_id] });
}

/** Something that is done in a lesson; ``then`` hears what was met. */
export function useDoing<T>(act: (what: T) => Promise<Done>, then?: (done: Done) => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: (done: Done) => {
      stands(client, done.run);
      then?.(done);
    },
  });
}

/** Minutes as one says them. */
export function took(minutes: number): string {
  const whole = Math.round(minutes);
  if (whole < 60) return `${whole} min`;
  return `${Math.floor(whole / 60)} h ${whole % 60} min`;
}
