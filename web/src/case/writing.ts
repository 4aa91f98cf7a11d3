/** What is written into a case from its page, as an entry that can wait on the device. */
import type { Schemas } from "../api/client";
import type { Entry, Part } from "../offline/entries";
import { useWaiting } from "../offline/useEntries";

type Case = Schemas["CaseOut"];

/** ``mark``: the question that it answers, so that it is not asked again while it waits. */
export const aboutCase = (c: Case, act: string, words: string, body?: object | Part[], mark?: string) => ({
  words: `${c.printer}: ${words}`,
  about: `/cases/${c.id}`,
  mark,
  writes: [{ path: `/api/cases/${c.id}/${act}`, body }],
});

/** What waits on this device about a case. */
export const useWaitingHere = (c: Case): Entry[] => useWaiting(`/cases/${c.id}`);
