/** What the device keeps: the worker's rules, tried with a cache and a network of the test's own; and the line that says so. */
// @vitest-environment happy-dom
import { act, cleanup, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { handle } from "../tests/hands";
import { KeptLine } from "./KeptLine";
import { heard, KEPT } from "./kept";
import source from "./sw.js?raw";

class Cache {
  rows = new Map<string, Response>();
  key = (r: Request | string) => (typeof r === "string" ? r : new URL(r.url).pathname + new URL(r.url).search);
  match = async (r: Request | string) => this.rows.get(this.key(r))?.clone();
  put = async (r: Request, response: Response) => {
    this.rows.delete(this.key(r));
    this.rows.set(this.key(r), response);
  };
  delete = async (r: Request | string) => this.rows.delete(this.key(r));
  keys = async () => [...this.rows.keys()];
  addAll = async (files: string[]) => {
    for (const f of files) this.rows.set(f, new Response(`kept ${f}`));
  };
}

/** The worker with a network that can be cut, as a browser would run it. */
function worker() {
  const listeners: Record<string, (e: unknown) => void> = {};
  const stores = new Map<string, Cache>();
  const open = async (n: string) => stores.get(n) ?? stores.set(n, new Cache()).get(n)!;
  const caches = {
    open,
    keys: async () => [...stores.keys()],
    delete: async (n: string) => stores.delete(n),
    match: async (r: Request | string, { cacheName }: { cacheName: string }) => (await open(cacheName)).match(r),
  };
  const net = { answer: (_: string): Response | Promise<Response> => new Response("{}"), asked: [] as string[] };
  const fetch = async (r: Request) => {
    const path = new URL(r.url).pathname;
    net.asked.push(path);
    return net.answer(path);
  };
  const built = source.replace("__VERSION__", "v2").replace("__FILES__", '["/", "/assets/a.js"]');
  const self = {
    addEventListener: (name: string, run: (e: unknown) => void) => {
      listeners[name] = run;
    },
    skipWaiting: async () => undefined,
    clients: { claim: async () => undefined },
  };
  new Function("self", "caches", "fetch", "location", built)(self, caches, fetch, { origin: "http://workshop" });
  const life = async (name: string) => {
    let done: Promise<unknown> = Promise.resolve();
    listeners[name]!({ waitUntil: (p: Promise<unknown>) => (done = p) });
    await done;
  };
  const ask = async (path: string, method = "GET", mode = "cors") => {
    let given: Promise<Response> | null = null;
    const request = { url: `http://workshop${path}`, method, mode };
    listeners.fetch!({ request, respondWith: (p: Promise<Response>) => (given = p) });
    return given as Promise<Response> | null;
  };
  const cut = () => {
    net.answer = () => Promise.reject(new TypeError("no network"));
  };
  return { ask, cut, life, net, stores };
}
const json = (body: unknown, status = 200) => new Response(JSON.stringify(body), { status });

describe("the worker", () => {
  it("opens the application without network, with its files", async () => {
    const w = worker();
    w.stores.set("shell-v1", new Cache());
    await w.life("install");
    await w.life("activate");
    expect([...w.stores.keys()]).toEqual(["shell-v2"]);
    w.cut();
    expect(await (await w.ask("/machines/3", "GET", "navigate"))!.text()).toBe("kept /");
    expect(await (await w.ask("/assets/a.js"))!.text()).toBe("kept /assets/a.js");
  });

  it("shows what was seen lately, with when that was; what was never seen fails", async () => {
    const w = worker();
    w.net.answer = () => json({ areas: [] });
    expect((await w.ask("/api/floor"))!.headers.get(KEPT)).toBeNull();
    w.cut();
    const again = (await w.ask("/api/floor"))!;
    expect(await again.json()).toEqual({ areas: [] });
    expect(Date.now() - Date.parse(again.headers.get(KEPT)!)).toBeLessThan(60_000);
    await expect(w.ask("/api/printers/3")!).rejects.toThrow("no network");
  });

  it("while the server is away, too; but a refusal is a refusal", async () => {
    const w = worker();
    w.net.answer = () => json({ me: 1 });
    await w.ask("/api/cases/12");
    w.net.answer = () => json({ code: "away" }, 503);
    expect((await w.ask("/api/cases/12"))!.status).toBe(200);
    w.net.answer = () => json({ code: "not_yours" }, 403);
    expect((await w.ask("/api/cases/12"))!.status).toBe(403);
  });

  it("leaves writes, files to take along and the line of news alone", async () => {
    const w = worker();
    for (const [path, method] of [
      ["/api/cases", "POST"],
      ["/api/captures/1/raw", "GET"],
      ["/api/events", "GET"],
      ["/api/audit", "GET"],
    ])
      expect(await w.ask(path!, method)).toBeNull();
  });

  it("forgets what one person saw when they sign out, are signed out, or another comes", async () => {
    const w = worker();
    const see = async (id: number) => {
      w.net.answer = (path) => json(path === "/api/session" ? { me: { id } } : { floor: id });
      await w.ask("/api/session");
      await w.ask("/api/floor");
    };
    const kept = async () => (await (w.stores.get("seen") ?? new Cache()).keys()).sort();
    await see(1);
    expect(await kept()).toEqual(["/api/floor", "/api/session"]);
    w.net.answer = () => json({ me: { id: 2 } });
    await w.ask("/api/session");
    expect(await kept()).toEqual(["/api/session"]);
    await see(2);
    await w.ask("/api/session", "DELETE");
    expect(await kept()).toEqual([]);
    await see(2);
    w.net.answer = () => json({ code: "signed_out" }, 401);
    await w.ask("/api/floor");
    expect(await kept()).toEqual([]);
  });

  it("keeps so many and no more", async () => {
    const w = worker();
    for (let i = 0; i < 310; i++) await w.ask(`/api/cases/${i}`);
    expect(w.stores.get("seen")!.rows.size).toBe(300);
    expect([...w.stores.get("seen")!.rows.keys()][0]).toBe("/api/cases/10");
  });
});

describe("the line under the header", () => {
  beforeEach(() => heard(new Response()));
  afterEach(() => {
    cleanup();
    vi.useRealTimers();
  });
  const keptAt = (at: string) => act(() => heard(new Response("", { headers: { [KEPT]: at } })));

  it("says how old the oldest is that is shown, until the workshop answers again", () => {
    handle(<KeptLine />);
    expect(screen.queryByRole("status")).toBeNull();
    keptAt(new Date(Date.now() - 2 * 3600_000).toISOString());
    keptAt(new Date(Date.now() - 60_000).toISOString());
    expect(screen.getByRole("status").textContent).toContain("as it was 2 hours ago");
    act(() => heard(new Response("", { status: 503 })));
    expect(screen.getByRole("status")).toBeTruthy();
    act(() => heard(new Response()));
    expect(screen.queryByRole("status")).toBeNull();
  });
});
