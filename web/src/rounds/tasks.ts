/** What the pages of the tasks share: their shapes, and writing to them. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "../api/client";

export type Tasks = Schemas["TasksOut"];
export type Task = Tasks["tasks"][number];

export const tasksKey = (model: number | null) => ["service", "tasks", model];

/** What changes the tasks answers with all of them; what is due is looked up anew. */
export function useTasksWrite<T>(model: number | null, write: (told: T) => Promise<Tasks>, done?: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: write,
    onSuccess: (all) => {
      client.invalidateQueries({ queryKey: ["service"] });
      client.invalidateQueries({ predicate: (q) => q.queryKey[2] === "service" });
      client.setQueryData(tasksKey(model), all);
      done?.();
    },
  });
}
