/** What was entered and has not reached the workshop: kept on the device, in order, with its keys, until it has. */
import { createStore, del, entries, set } from "idb-keyval";
import { Refusal, type Schemas, send } from "../api/client";
import { heard, workshopTime } from "./kept";

export type Part = { name: string; value: string | Blob; file?: string };

/** One request. ``{id}`` in its path is the number that the first one's answer has. */
export type Write = { path: string; key: string; body: string | Part[] };

/** What was entered: ``words`` say it in the list, ``about`` is the page it belongs to, ``mark`` which question there it answers. */
export type Told = { words: string; about: string; mark?: string; writes: Write[] };

/** What one person entered at one time. ``refused``: why the workshop did not take it; ``undated``: when it was is not known. */
export type Entry = Told & { id: string; who: number; name: string; at: number; refused?: string; undated?: true };

/** What this person enters now. */
export const entered = (me: { id: number; name: string }, id: string, told: Told): Entry => ({
  ...told,
  id,
  who: me.id,
  name: me.name,
  at: Date.now(),
});

/** A browser may have no storage at all, and say so by throwing. */
const onDisk = async <T>(ask: (store: ReturnType<typeof createStore>) => Promise<T>): Promise<T> =>
  ask(createStore("kestov-entries", "entries"));
export const ENTRIES_CHANGED = "kestov-entries";
/** Told with the entry's id once the workshop has all of it. */
export const ENTRY_SENT = "kestov-sent";
const tell = () => window.dispatchEvent(new Event(ENTRIES_CHANGED));
/** Those which a page is sending just now: they are the page's to speak of. */
const underWay = new Set<string>();

/** Keep an entry; whether the browser did. It may forbid its storage: then the page alone holds it. */
export async function keep(entry: Entry): Promise<boolean> {
  const kept = await onDisk((store) => set(entry.id, entry, store)).then(
    () => true,
    () => false,
  );
  tell();
  return kept;
}

export async function drop(id: string): Promise<void> {
  await onDisk((store) => del(id, store)).catch(() => undefined);
  tell();
}

/** All that wait, the oldest first. */
export async function all(): Promise<Entry[]> {
  const kept = (await onDisk((store) => entries<string, Entry>(store)).catch(() => [])).map(([, entry]) => entry);
  return kept.filter((e) => !underWay.has(e.id)).sort((a, b) => a.at - b.at);
}

/** The workshop's clock is told in whole seconds: two entries of one second may come out the wrong way round, by so much. */
const TOLD_TO_MS = 1000;
/** Kept on the device: the page may be loaded anew between two entries, and estimate the clock anew. */
const LAST_TOLD = "kestov-last-told";
const lastTold = () => {
  try {
    return Number(localStorage.getItem(LAST_TOLD)) || 0;
  } catch {
    return 0;
  }
};

/** When it was entered, by the workshop's clock; not before what was sent before it, though that clock was told anew between. */
function inOrder(at: number): Date {
  const told = workshopTime(at).getTime();
  const last = lastTold();
  const ordered = told > last - TOLD_TO_MS ? Math.max(told, last + 1) : told;
  try {
    localStorage.setItem(LAST_TOLD, String(ordered));
  } catch {
    // A browser without storage keeps no entries either.
  }
  return new Date(ordered);
}

/** Send an entry whole, and forget it: the answer to its first request. With its keys a repeat is harmless. */
export async function deliver<T>(entry: Entry, tries?: number, late = false): Promise<T> {
  let first: T | null = null;
  for (const { path: to, key, body } of entry.writes) {
    const path = to.replace("{id}", String((first as { id?: unknown } | null)?.id));
    const [content, type] = typeof body === "string" ? [body, "application/json"] : [asForm(body), undefined];
    // Asked for each time: the answer before this one may have told the workshop's clock anew.
    const when = late && !entry.undated ? inOrder(entry.at) : undefined;
    const answer: T = await send<T>(path, content, key, type, tries, when);
    first ??= answer;
  }
  await drop(entry.id);
  window.dispatchEvent(new CustomEvent(ENTRY_SENT, { detail: entry.id }));
  return first!;
}

export function asForm(parts: Part[]): FormData {
  const form = new FormData();
  for (const { name, value, file } of parts) {
    if (typeof value === "string") form.append(name, value);
    else form.append(name, new File([value], file ?? name, { type: value.type }));
  }
  return form;
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
    // What was entered before goes first.
    if (kept && (await waitingOf(entry.who)).length) {
      await sendAll(entry.who);
      if ((await waitingOf(entry.who)).length) return null;
    }
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

/** What this person has waiting that was not refused. */
const waitingOf = async (who: number) => (await all()).filter((e) => e.who === who && !e.refused);

let sending: Promise<number> | null = null;

/** Send what this person has waiting, one after another; what is refused stays, with why. How many went out. */
export function sendAll(who: number): Promise<number> {
  sending ??= sendEach(who).finally(() => {
    sending = null;
  });
  return sending;
}

async function sendEach(who: number): Promise<number> {
  let sent = 0;
  const waiting = await waitingOf(who);
  // Whether it is there, and what its clock says: a moment is told by that.
  const there = waiting.length > 0 && (await fetch("/api/health", { cache: "no-store" }).catch(() => null));
  if (!there) return 0;
  heard(there);
  for (const entry of waiting) {
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
  return entered(me, r.id, {
    words: `Plucked belt ${r.meta.place.toUpperCase()} of ${r.printer}`,
    about: r.meta.case_id ? `/cases/${r.meta.case_id}` : `/machines/${r.printerId}`,
    writes: [{ path: pluckPath(r.printerId, "file"), key: r.id, body: parts }],
  });
}

/** What an earlier version kept told its span beside the context, and not whose it was: it goes with who is here now. */
export function asKeptNow(me: { id: number; name: string }, old: Recorded): Entry {
  const { span_mm, ...meta } = old.meta as Plucked & { span_mm?: number | null };
  const context = span_mm == null ? (meta.context ?? {}) : { span_mm };
  return { ...plucked(me, { ...old, meta: { ...meta, context } }), undated: true };
}

/** Take over the recordings that an earlier version kept. */
export async function takeOver(me: { id: number; name: string }): Promise<void> {
  const before = createStore("kestov", "recordings");
  for (const [id, old] of await entries<string, Recorded>(before).catch(() => [])) {
    if (await keep(asKeptNow(me, old))) await del(id, before);
  }
}
