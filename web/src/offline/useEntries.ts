/** Writing so that nothing is lost: sent, or kept on this device and said so, wherever the page is. */
import { useMutation } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { answered, intentKey, Refusal } from "../api/client";
import { useMe } from "../session/me";
import { all, ENTRIES_CHANGED, ENTRY_SENT, type Entry, entered, type Part, sendOrKeep, type Told } from "./entries";

/** What is to be written, without its keys; an object as body goes as JSON. */
type Asked = Omit<Told, "writes"> & { writes: { path: string; body?: object | Part[] }[] };

/** A write of this person's. ``kept`` is the entry's id while it waits on this device; only an answer calls ``onSuccess``. */
export function useWrite<T, V = void>(ask: (given: V) => Asked, onSuccess: (answer: T) => void, onKept?: () => void) {
  const me = useMe();
  const [id, setId] = useState("");
  const write = useMutation({
    mutationFn: async (given: V) => {
      const { writes, ...told } = ask(given);
      const what = `POST ${JSON.stringify(writes, named)}`;
      const key = intentKey(what);
      setId(key);
      const keyed = writes.map((w, i) => ({
        path: w.path,
        key: i ? `${key}-${i}` : key,
        body: Array.isArray(w.body) ? w.body : JSON.stringify(w.body ?? {}),
      }));
      try {
        const answer = await sendOrKeep<T>(entered(me, key, { ...told, writes: keyed }));
        answered(what);
        return answer;
      } catch (e) {
        if (!(e instanceof Refusal && e.isPassing)) answered(what);
        throw e;
      }
    },
    onSuccess: (answer) => (answer === null ? onKept?.() : onSuccess(answer)),
  });
  const sent = useSent(id);
  const waits = write.data === null && !sent;
  return { ...write, kept: waits ? id : null, isDone: write.isSuccess && !waits };
}

/** A file by what tells it from another. */
const named = (_: string, value: unknown) =>
  value instanceof File ? [value.name, value.size, value.lastModified] : value;

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

/** What of this person's waits on this device about a page, the oldest first. */
export function useWaiting(about: string): Entry[] {
  const me = useMe();
  const [waiting, setWaiting] = useState<Entry[]>([]);
  useEffect(() => {
    let here = true;
    const look = () => void all().then((kept) => here && setWaiting(kept));
    look();
    window.addEventListener(ENTRIES_CHANGED, look);
    return () => {
      here = false;
      window.removeEventListener(ENTRIES_CHANGED, look);
    };
  }, []);
  return waiting.filter((e) => e.who === me.id && e.about === about);
}
