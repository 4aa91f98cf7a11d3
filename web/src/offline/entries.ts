/** What was entered and has not reached the workshop: kept on the device, in order, with its keys, until it has. */
import { createStore, del, entries, set } from "idb-keyval";
import { useEffect, useState } from "react";
import { Refusal, type Schemas, send } from "../api/client";
import { workshopTime } from "./kept";

export type Part = { name: string; value: string | Blob; file?: string };

/** One request. ``{id}`` in its path is the number that the first one's answer has. ``dated``: it may say when it was taken. */
export type Write = { path: string; key: string; body: string | Part[]; dated?: boolean };

/** What one person entered at one time: ``words`` say it in the list, ``refused`` why the workshop did not take it. */
export type Entry = {
  id: string;
  who: number;
  name: string;
  at: number;
  words: string;
  writes: Write[];
  refused?: string;
};

const store = () => createStore("kestov-entries", "entries");
export const ENTRIES_CHANGED = "kestov-entries";
/** Told with the entry's id once the workshop has all of it. */
const ENTRY_SENT = "kestov-sent";
const tell = () => window.dispatchEvent(new Event(ENTRIES_CHANGED));
/** Those which a page is sending just now: they are the page's to speak of. */
const underWay = new Set<string>();

/** Keep an entry; whether the browser did. It may forbid its storage: then the page alone holds it. */
export async function keep(entry: Entry): Promise<boolean> {
  const kept = await set(entry.id, entry, store()).then(
    () => true,
    () => false,
  );
  tell();
  return kept;
}

export async function drop(id: string): Promise<void> {
  await del(id, store()).catch(() => undefined);
  tell();
}

/** All that wait, the oldest first. */
export async function all(): Promise<Entry[]> {
  const kept = (await entries<string, Entry>(store()).catch(() => [])).map(([, entry]) => entry);
  return kept.filter((e) => !underWay.has(e.id)).sort((a, b) => a.at - b.at);
}

/** Send an entry whole, and forget it: the answer to its first request. With its keys a repeat is harmless. */
export async function deliver<T>(entry: Entry, tries?: number, late = false): Promise<T> {
  let first: T | null = null;
  for (const w of entry.writes) {
    const body = late && w.dated ? dated(w.body, entry.at) : w.body;
    const path = w.path.replace("{id}", String((first as { id?: unknown } | null)?.id));
    const json = typeof body === "string" ? "application/json" : undefined;
    const answer: T = await send<T>(path, typeof body === "string" ? body : asForm(body), w.key, json, tries);
    first ??= answer;
  }
  await drop(entry.id);
  window.dispatchEvent(new CustomEvent(ENTRY_SENT, { detail: entry.id }));
  return first!;
}

/** Whether the entry that waited has gone out while this page was open. */
export function useSent(id: string): boolean {
  const [sent, setSent] = useState("");
  useEffect(() => {
    const hear = (e: Event) => setSent((e as CustomEvent<string>).detail);
    window.addEventListener(ENTRY_SENT, hear);
    return () => window.removeEventListener(ENTRY_SENT, hear);
  }, []);
  return id !== "" && sent === id;
}

export function asForm(parts: Part[]): FormData {
  const form = new FormData();
  for (const { name, value, file } of parts) {
    if (typeof value === "string") form.append(name, value);
    else form.append(name, new File([value], file ?? name, { type: value.type }));
  }
  return form;
}

/** A measurement that comes late says when it was taken, by the workshop's clock. */
function dated(body: string | Part[], at: number): string | Part[] {
  const say = (json: string) => JSON.stringify({ ...JSON.parse(json), taken_at: workshopTime(at).toISOString() });
  if (typeof body === "string") return say(body);
  return body.map((p) => (p.name === "meta" ? { ...p, value: say(p.value as string) } : p));
}

type Sending<T> = { run?: (entry: Entry) => Promise<T>; inForm?: boolean };

/**
 * Keep an entry, then send it. Null: the workshop cannot be reached, and the entry waits here. What is refused is thrown, for the
 * page to say; it is kept on where no form holds it (``inForm``) and something else than its content was refused.
 */
export async function sendOrKeep<T>(entry: Entry, { run, inForm = true }: Sending<T> = {}): Promise<T | null> {
  underWay.add(entry.id);
  const kept = await keep(entry);
  try {
    const answer = await (run ? run(entry) : deliver<T>(entry, navigator.onLine ? undefined : 1));
    await drop(entry.id);
    return answer;
  } catch (e) {
    if (e instanceof Refusal && e.isPassing && kept) return null;
    if (inForm || (e instanceof Refusal && e.isFinal)) await drop(entry.id);
    else await keep({ ...entry, refused: (e as Error).message });
    throw e;
  } finally {
    underWay.delete(entry.id);
    tell();
  }
}

/** Send what this person has waiting, one after another; what is refused stays, with why. How many went out. */
export async function sendAll(who: number): Promise<number> {
  let sent = 0;
  for (const entry of await all()) {
    if (entry.who !== who || entry.refused) continue;
    underWay.add(entry.id);
    try {
      await deliver(entry, 1, true);
      sent++;
    } catch (e) {
      // Whoever is signed out or too quick tries later, as with no network; the order stays.
      if (!(e instanceof Refusal) || e.isPassing || e.status === 401 || e.status === 429) break;
      await keep({ ...entry, refused: e.message });
    } finally {
      underWay.delete(entry.id);
      tell();
    }
  }
  return sent;
}

export type Plucked = Schemas["BeltPluckAbout"];
/** Where plucks of a machine are sent to. */
export const pluckPath = (printer: number, way: string) => `/api/printers/${printer}/belt-pluck/${way}`;

type Recorded = { id: string; printerId: number; printer: string; meta: Plucked; wav: Blob; name: string };

/** A recording of a plucked belt as an entry. The id is the capture's: sent twice, it is one. */
export function plucked(me: { id: number; name: string }, r: Recorded): Entry {
  const parts = [
    { name: "meta", value: JSON.stringify(r.meta) },
    { name: "file", value: r.wav, file: r.name },
  ];
  return {
    id: r.id,
    who: me.id,
    name: me.name,
    at: Date.now(),
    words: `Plucked belt ${r.meta.place.toUpperCase()} of ${r.printer}`,
    writes: [{ path: pluckPath(r.printerId, "file"), key: r.id, body: parts, dated: true }],
  };
}

/** What an earlier version kept told its span beside the context, and not whose it was: it goes with who is here now. */
export function asKeptNow(me: { id: number; name: string }, old: Recorded): Entry {
  const { span_mm, ...meta } = old.meta as Plucked & { span_mm?: number | null };
  const context = span_mm == null ? (meta.context ?? {}) : { span_mm };
  // When it was taken is not known any more.
  const entry = plucked(me, { ...old, meta: { ...meta, context } });
  return { ...entry, writes: entry.writes.map((w) => ({ ...w, dated: false })) };
}

/** Take over the recordings that an earlier version kept. */
export async function takeOver(me: { id: number; name: string }): Promise<void> {
  const before = createStore("kestov", "recordings");
  for (const [id, old] of await entries<string, Recorded>(before).catch(() => [])) {
    if (await keep(asKeptNow(me, old))) await del(id, before);
  }
}
