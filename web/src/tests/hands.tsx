/** Draw a view into a page that can be clicked and typed into; what the server would have told is in the cache. Used by tests only. */
import { cleanup, render } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, vi } from "vitest";
import { around, type Known, type Where } from "./draw";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

export function handle(node: React.ReactNode, known: Known = [], where: Where = {}) {
  render(around(node, known, where));
  return userEvent.setup();
}

/** A server that answers when it is told to, and remembers what it was sent. */
export function slowServer() {
  const sent: { url: string; body: unknown; key: string | null }[] = [];
  const waiting: ((answer: Response) => void)[] = [];
  vi.stubGlobal("fetch", async (asked: Request | string, how?: RequestInit) => {
    const request = asked instanceof Request ? asked : new Request(new URL(asked, "http://workshop"), how);
    sent.push({
      url: new URL(request.url, "http://workshop").pathname,
      // Of a form with a file only that it came is remembered.
      body: how?.body instanceof FormData ? null : JSON.parse((await request.clone().text()) || "null"),
      key: request.headers.get("Idempotency-Key"),
    });
    return new Promise<Response>((done) => waiting.push(done));
  });
  return {
    sent,
    answer: (body: unknown, status = 200) =>
      waiting.shift()!(new Response(JSON.stringify(body), { status, headers: { "content-type": "application/json" } })),
  };
}
