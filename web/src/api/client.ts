/** The one way to the server: typed by the API's own description, with a key on every write and errors that speak. */
import createClient from "openapi-fetch";
import { heard } from "../offline/kept";
import { practising } from "../practice/beside";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

/** A refusal in the server's words (RFC 9457), or that it could not be reached. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly field: string | null,
  ) {
    super(message);
  }

  /** Whether the same would be refused again: not where the server was away, busy, or somebody else was at it. */
  get isFinal(): boolean {
    return this.status === 422 || this.status === 413;
  }

  /** Whether it may go by itself in a moment: no network, or the server is away or busy. */
  get isPassing(): boolean {
    return this.status === 0 || (this.status >= 502 && this.status <= 504);
  }
}

const OFFLINE = "The workshop cannot be reached just now. What you entered is kept; try again in a moment.";

function cookie(name: string): string {
  return document.cookie.match(new RegExp(`(?:^|; )${name}=([^;]*)`))?.[1] ?? "";
}

export function newKey(): string {
  // randomUUID is only there on secure pages; a tablet on plain http needs keys, too.
  if (typeof crypto.randomUUID === "function") return crypto.randomUUID();
  const b = crypto.getRandomValues(new Uint8Array(16));
  b[6] = (b[6]! & 0x0f) | 0x40;
  b[8] = (b[8]! & 0x3f) | 0x80;
  const hex = [...b].map((v) => v.toString(16).padStart(2, "0")).join("");
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;
}

/** Headers of a write: the forgery token and the key that makes a repeat harmless. */
export function writeHeaders(key = newKey()): Record<string, string> {
  return { "X-CSRFToken": cookie(practising() ? "practice_csrf" : "csrftoken"), "Idempotency-Key": key };
}

/** How long after a lost answer the same write is still the same intent. */
const INTENT_MS = 120_000;
const intents = new Map<string, { key: string; at: number }>();

/**
 * One key for one intent: a second click while the first is under way, or a try again after a lost answer, is the same write.
 * Once it was answered, the same again is meant.
 */
export function intentKey(what: string, now = Date.now()): string {
  const before = intents.get(what);
  if (before && now - before.at < INTENT_MS) return before.key;
  const key = newKey();
  intents.set(what, { key, at: now });
  return key;
}

export function answered(what: string): void {
  intents.delete(what);
}

const whatOf = async (r: Request) => `${r.method} ${r.url} ${await r.clone().text()}`;

// Looked up at each call, so that a test can stand in for the server.
const client = createClient<paths>({ baseUrl: "", fetch: (request) => globalThis.fetch(request) });
client.use({
  async onRequest({ request }) {
    if (request.method !== "GET") {
      const headers = writeHeaders(intentKey(await whatOf(request)));
      for (const [k, v] of Object.entries(headers)) if (!request.headers.has(k)) request.headers.set(k, v);
    }
    return request;
  },
  async onResponse({ request, response }) {
    heard(response);
    // A request that was sent cannot be read again: its body was kept in the key's own name.
    const key = request.headers.get("Idempotency-Key");
    for (const [what, intent] of intents) if (intent.key === key) answered(what);
  },
  onError() {
    return new Refusal(0, "offline", OFFLINE, null);
  },
});
export const api = client;

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The data of an answer, or its refusal thrown. */
export async function got<T>(answer: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await answer;
  if (response.ok && data !== undefined) return data;
  throw refusal(error, response.status);
}

export function refusal(body: unknown, status: number): Refusal {
  const p = (body ?? {}) as { code?: string; detail?: string; field?: string | null };
  return new Refusal(
    status,
    p.code ?? "failed",
    p.detail ?? "The server did not manage that. Try again; if it stays, tell the lead.",
    p.field ?? null,
  );
}

/**
 * Send a form or raw bytes, which the typed client does not do; retried a few times, with one key, when the network drops.
 * ``entered``: when it was entered, where it comes late.
 */
export async function send<T>(
  path: string,
  body: BodyInit,
  key: string,
  type?: string,
  tries = 4,
  entered?: Date,
): Promise<T> {
  const headers = {
    ...writeHeaders(key),
    ...(type ? { "Content-Type": type } : {}),
    ...(entered ? { "Entered-At": entered.toISOString() } : {}),
  };
  for (let attempt = 1; ; attempt++) {
    let response: Response;
    try {
      response = await fetch(path, { method: "POST", body, headers });
    } catch {
      if (attempt >= tries) throw new Refusal(0, "offline", OFFLINE, null);
      await new Promise((done) => setTimeout(done, 400 * 2 ** attempt));
      continue;
    }
    heard(response);
    const answer = await response.json().catch(() => null);
    if (response.ok) return answer as T;
    const refused = refusal(answer, response.status);
    if (!refused.isPassing || attempt >= tries) throw refused;
    await new Promise((done) => setTimeout(done, again(response, attempt)));
  }
}

/** When to try again (ms): as the server says, at most ten seconds; else later each time. */
function again(response: Response, attempt: number): number {
  const told = Number(response.headers.get("Retry-After"));
  return told > 0 ? Math.min(told, 10) * 1000 : 400 * 2 ** attempt;
}

/** Send a form with a large file: `onProgress` hears the share that has gone out; with the same key a repeat is harmless. */
export function upload<T>(path: string, form: FormData, key: string, onProgress: (share: number) => void): Promise<T> {
  return new Promise((done, fail) => {
    const request = new XMLHttpRequest();
    request.open("POST", path);
    for (const [name, value] of Object.entries(writeHeaders(key))) request.setRequestHeader(name, value);
    request.responseType = "json";
    request.upload.onprogress = (e) => e.lengthComputable && onProgress(e.loaded / e.total);
    request.upload.onload = () => onProgress(1);
    request.onerror = () => fail(new Refusal(0, "offline", OFFLINE, null));
    request.onload = () =>
      request.status >= 200 && request.status < 300
        ? done(request.response as T)
        : fail(refusal(request.response, request.status));
    request.send(form);
  });
}
