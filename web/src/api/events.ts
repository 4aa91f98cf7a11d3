/** What has changed in the workshop, told at once; where that cannot be heard, views ask again now and then. */
import type { Query, QueryClient } from "@tanstack/react-query";
import { useEffect, useSyncExternalStore } from "react";

/** A burst of news is one: the floor is asked for once in so long (ms). */
const BURST_MS = 400;
const OF_A_MACHINE = ["printer", "record", "rounds", "bench"] as const;
/** What two people may work on at once: asked for again when the line first opens, since something may have come before it did. */
const IN_HAND = ["case", "rounds"] as const;

/** A case that is shown, of that machine. */
const caseOf = (printer: number) => (q: Query) =>
  q.queryKey[0] === "case" && (q.state.data as { printer_id?: number } | undefined)?.printer_id === printer;

let hearing = false;
const waiting = new Set<() => void>();
const hears = (now: boolean) => {
  hearing = now;
  for (const told of waiting) told();
};

const isHearing = () => hearing;
const heardOf = (done: () => void) => {
  waiting.add(done);
  return () => waiting.delete(done);
};

/** How often a view asks again (ms): seldom while it is told, else as often as it says. */
export function useAgain(otherwise: number): number {
  const told = useSyncExternalStore(heardOf, isHearing, isHearing);
  return told ? 60_000 : otherwise;
}

/** What a piece of news makes stale: "case 12", "printer 3", or "all 0" where nothing is known of what was missed. */
export function stale(client: QueryClient, news: string): void {
  const [what, key] = news.split(" ");
  const id = Number(key);
  if (what === "all") void client.invalidateQueries();
  if (what === "work") void client.invalidateQueries({ queryKey: ["works"] });
  if (what === "case") void client.invalidateQueries({ queryKey: ["case", id] });
  if (what === "printer") {
    for (const of of OF_A_MACHINE) void client.invalidateQueries({ queryKey: [of, id] });
    // What was measured or turned stands in its case, too.
    void client.invalidateQueries({ predicate: caseOf(id) });
  }
  if (what === "case" || what === "printer")
    for (const list of ["floor", "cases"]) void client.invalidateQueries({ queryKey: [list] });
}

/** Listen while the page is looked at: a browser has few lines to one server, and hidden pages need none. */
export function useEvents(client: QueryClient): void {
  useEffect(() => {
    let line: EventSource | null = null;
    let opened = false;
    let news = new Set<string>();
    let burst: ReturnType<typeof setTimeout> | undefined;
    const pass = () => {
      burst = undefined;
      const told = news;
      news = new Set();
      for (const each of told) stale(client, each);
    };
    const close = () => {
      line?.close();
      line = null;
      hears(false);
    };
    const open = () => {
      if (line || document.hidden || typeof EventSource === "undefined") return;
      line = new EventSource("/api/events");
      line.onopen = () => {
        // What was told while nobody listened is not known.
        if (opened) void client.invalidateQueries();
        else for (const of of IN_HAND) void client.invalidateQueries({ queryKey: [of] });
        opened = true;
        hears(true);
      };
      line.onerror = () => hears(false);
      line.onmessage = (e) => {
        news.add(String(e.data));
        burst ??= setTimeout(pass, BURST_MS);
      };
    };
    const turn = () => (document.hidden ? close() : open());
    open();
    document.addEventListener("visibilitychange", turn);
    return () => {
      document.removeEventListener("visibilitychange", turn);
      clearTimeout(burst);
      close();
    };
  }, [client]);
}
