/** Whether what is shown comes from the workshop or from this device, and how old it is then. */
import { useSyncExternalStore } from "react";

/** The header in which the device says when the workshop said this. */
export const KEPT = "X-Kept";

let since: string | null = null;
const waiting = new Set<() => void>();
const set = (now: string | null) => {
  if (now === since) return;
  since = now;
  for (const told of waiting) told();
};

/** How far the workshop's clock is ahead of this device's (ms), to a second. */
let ahead = 0;

/** A moment of this device's clock (ms) by the workshop's. */
export const workshopTime = (at: number) => new Date(at + ahead);

/** Take note of an answer: kept on the device (the oldest counts), or from the workshop itself. */
export function heard(response: Response): void {
  const kept = response.headers.get(KEPT);
  if (kept) set(since && since < kept ? since : kept);
  else if (response.ok) {
    set(null);
    const told = Date.parse(response.headers.get("Date") ?? "");
    // The second that it names is still running: to its end, so that nothing seems entered before what was answered.
    if (!Number.isNaN(told)) ahead = told + 999 - Date.now();
  }
}

const wait = (done: () => void) => {
  waiting.add(done);
  return () => waiting.delete(done);
};
const now = () => since;

/** Since when nothing has come from the workshop; null while it answers. */
export const useKept = () => useSyncExternalStore(wait, now, now);

/** Let the device keep the application and what is seen, where the browser lets it (secure pages only). */
export function keepHere(): void {
  if (!("serviceWorker" in navigator) || !window.isSecureContext || !import.meta.env.PROD) return;
  window.addEventListener("load", () =>
    setTimeout(() => void navigator.serviceWorker.register("/sw.js").catch(() => undefined), 3000),
  );
}
