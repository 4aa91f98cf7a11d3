/** Recordings that have not reached the workshop yet, kept in the browser until they have. */
import { createStore, del, entries, set } from "idb-keyval";
import type { Schemas } from "../api/client";
import { send } from "../api/client";

export type Plucked = Schemas["BeltPluckAbout"];
/** Where plucks of a machine are sent to. */
export const pluckPath = (printer: number, way: string) => `/api/printers/${printer}/belt-pluck/${way}`;

export type PendingRecording = {
  id: string;
  printerId: number;
  printer: string;
  meta: Plucked;
  wav: Blob;
  name: string;
};

const store = () => createStore("kestov", "recordings");
export const PENDING_CHANGED = "kestov-pending";
const tell = () => window.dispatchEvent(new Event(PENDING_CHANGED));

export async function keep(recording: PendingRecording): Promise<void> {
  // A browser may forbid its storage; then the page alone holds it, as before.
  await set(recording.id, recording, store()).catch(() => undefined);
  tell();
}

export async function drop(id: string): Promise<void> {
  await del(id, store()).catch(() => undefined);
  tell();
}

export async function all(): Promise<PendingRecording[]> {
  return (await entries<string, PendingRecording>(store()).catch(() => [])).map(([, v]) => v);
}

/** A recording kept by an earlier version told its span beside the context. */
export function asSentNow(meta: Plucked & { span_mm?: number | null }): Plucked {
  const { span_mm, ...rest } = meta;
  return span_mm == null ? { ...rest, context: rest.context ?? {} } : { ...rest, context: { span_mm } };
}

/** Send a kept recording whole. The id is the capture's: sent twice, it is one. */
export async function deliver(recording: PendingRecording, tries?: number): Promise<Schemas["CaptureOut"]> {
  const form = new FormData();
  form.append("meta", JSON.stringify(asSentNow(recording.meta)));
  form.append("file", new File([recording.wav], recording.name, { type: "audio/wav" }));
  const capture = await send<Schemas["CaptureOut"]>(
    pluckPath(recording.printerId, "file"),
    form,
    recording.id,
    undefined,
    tries,
  );
  await drop(recording.id);
  return capture;
}
