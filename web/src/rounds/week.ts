/** What the pages of the week share: its shape, and writing to it. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../api/client";

export type Week = Schemas["WeekPlan"];

export const weekKey = (day: string) => ["service", "week", day];

/** A write that answers with the week. */
export function useWeekWrite<T>(day: string, write: (told: T) => Promise<Week>, done?: (now: Week) => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: write,
    onSuccess: (now) => {
      client.invalidateQueries({ queryKey: ["service", "week"] });
      if (now.monday === day) client.setQueryData(weekKey(day), now);
      done?.(now);
    },
  });
}
