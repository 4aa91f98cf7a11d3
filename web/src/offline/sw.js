/* Kept on the device: the application itself, and what was seen of the workshop lately. Built into dist/sw.js, which knows its files.
   It opens without network, and says how old what it shows is. Nothing is written here: what is entered goes to the server, or waits. */
const VERSION = "__VERSION__";
const FILES = __FILES__;
const SHELL = `shell-${VERSION}`;
const SEEN = "seen";
/** What may be shown again though it may have changed. Everything else asks the server or fails. */
const SHOWN_AGAIN =
  /^\/api\/(session|floor|findings|knowledge|workshop|procedures|service|cases(\/\d+)?|pictures\/\d+|printers\/\d+(\/(record|rounds|ledger|sheet|service|components|bench(\/[^/]+\/[^/]+)?))?)$/;
/** So many answers are kept, for so long; and so long is waited for the network where one is kept. */
const MOST = 300;
const MOST_AGE_MS = 14 * 24 * 3600 * 1000;
const PATIENCE_MS = 10_000;
const KEPT = "X-Kept";

self.addEventListener("install", (e) => {
  e.waitUntil(
    caches
      .open(SHELL)
      .then((shell) => shell.addAll(FILES))
      .then(() => self.skipWaiting()),
  );
});

self.addEventListener("activate", (e) => {
  e.waitUntil(
    caches
      .keys()
      .then((names) =>
        Promise.all(names.filter((n) => n.startsWith("shell-") && n !== SHELL).map((n) => caches.delete(n))),
      )
      .then(() => self.clients.claim()),
  );
});

self.addEventListener("fetch", (e) => {
  const url = new URL(e.request.url);
  if (url.origin !== location.origin) return;
  if (url.pathname.startsWith("/api/session") && e.request.method !== "GET") {
    e.respondWith(fetch(e.request).finally(() => caches.delete(SEEN)));
    return;
  }
  if (e.request.method !== "GET") return;
  if (e.request.mode === "navigate" && !url.pathname.startsWith("/api/")) e.respondWith(page(e.request));
  else if (url.pathname.startsWith("/assets/")) e.respondWith(file(e.request));
  else if (SHOWN_AGAIN.test(url.pathname)) e.respondWith(answer(e.request, url));
});

/** The page from the server, so that it is the newest and brings its cookies; without network the one that is kept. */
async function page(request) {
  try {
    return await fetch(request);
  } catch {
    return (await caches.match("/", { cacheName: SHELL })) ?? Response.error();
  }
}

/** A file whose name holds its content: kept for good. */
async function file(request) {
  return (await caches.match(request, { cacheName: SHELL })) ?? fetch(request);
}

/** What the server says; where it is away, what it said last, with when that was. */
async function answer(request, url) {
  const seen = await caches.open(SEEN);
  const kept = await seen.match(request);
  const live = fetch(request).then(async (response) => {
    if (response.ok) await keep(seen, request, response.clone(), url);
    else if (response.status === 401) await caches.delete(SEEN);
    return response;
  });
  if (!kept) return live;
  try {
    const late = new Promise((_, fail) => setTimeout(() => fail(new Error("late")), PATIENCE_MS));
    const response = await Promise.race([live, late]);
    return response.status >= 502 && response.status <= 504 ? kept : response;
  } catch {
    live.catch(() => undefined);
    return kept;
  }
}

async function keep(seen, request, response, url) {
  const body = await response.arrayBuffer();
  if (url.pathname === "/api/session") {
    // Nothing that one person saw is shown to another.
    const who = (bytes) => JSON.parse(new TextDecoder().decode(bytes)).me?.id ?? null;
    const before = await seen.match(request);
    if (before && who(await before.arrayBuffer()) !== who(body))
      for (const each of await seen.keys()) await seen.delete(each);
  }
  const headers = new Headers(response.headers);
  headers.set(KEPT, new Date().toISOString());
  // It is kept as it was read: plain.
  headers.delete("Content-Encoding");
  headers.delete("Content-Length");
  await seen.put(request, new Response(body, { status: 200, headers }));
  await tidy(seen);
}

/** The oldest go first, and what is too old to be of use. */
async function tidy(seen) {
  const keys = await seen.keys();
  for (const key of keys.slice(0, Math.max(0, keys.length - MOST))) await seen.delete(key);
  const oldest = keys[0] && (await seen.match(keys[0]));
  if (oldest && Date.now() - Date.parse(oldest.headers.get(KEPT)) > MOST_AGE_MS) await seen.delete(keys[0]);
}
