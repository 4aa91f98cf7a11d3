/** Long work as a page follows it: until it is over, and then what came of it. */
import { useMutation } from "@tanstack/react-query";
import { api, got, Refusal, type Schemas } from "../api/client";

export type Work = Schemas["WorkOut"];

/** How often is asked how far it is (ms). */
const ASK_MS = 700;

export const isOver = (w: Work) => w.state !== "waiting" && w.state !== "running";

/** Follow a piece of work to its end; what it did not manage, or that it was stopped, is thrown in words. */
export async function outcome(id: number, onProgress: (w: Work) => void): Promise<Work> {
  for (;;) {
    try {
      const work = await got(api.GET("/api/works/{work_id}", { params: { path: { work_id: id } } }));
      onProgress(work);
      if (work.state === "done") return work;
      if (isOver(work)) throw new Refusal(422, "work", work.said, null);
    } catch (e) {
      // It goes on without this page; where the workshop cannot be reached it is asked again.
      if (!(e instanceof Refusal && e.isPassing)) throw e;
    }
    await new Promise((done) => setTimeout(done, ASK_MS));
  }
}

/** Ask a piece of work to stop. */
export function useStop(onTold: (w: Work) => void) {
  return useMutation({
    mutationFn: (id: number) => got(api.POST("/api/works/{work_id}/stop", { params: { path: { work_id: id } } })),
    onSuccess: onTold,
  });
}
