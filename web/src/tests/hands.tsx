/** Draw a view into a page that can be clicked and typed into; what the server would have told is in the cache. Used by tests only. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { MemoryRouter, Route, Routes } from "react-router";
import { afterEach, vi } from "vitest";
import { type Me, MeContext } from "../session/me";
import { type Known, technician } from "./draw";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

export function handle(
  node: React.ReactNode,
  known: Known = [],
  { me = technician as Me, path = "/", route = "*" } = {},
) {
  const client = new QueryClient({
    defaultOptions: { queries: { staleTime: Number.POSITIVE_INFINITY, refetchInterval: false } },
  });
  for (const [key, data] of known) client.setQueryData(key, data);
  render(
    <QueryClientProvider client={client}>
      <MeContext value={me}>
        <MemoryRouter initialEntries={[path]}>
          <Routes>
            <Route path={route} element={node} />
          </Routes>
        </MemoryRouter>
      </MeContext>
    </QueryClientProvider>,
  );
  return userEvent.setup();
}

/** A server that answers when it is told to, and remembers what it was sent. */
export function slowServer() {
  const sent: { url: string; body: unknown; key: string | null }[] = [];
  const waiting: ((answer: Response) => void)[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    sent.push({
      url: new URL(request.url, "http://workshop").pathname,
      body: await request.clone().json(),
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
