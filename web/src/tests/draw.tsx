/** Draw a view as text, with what the server would have told already in the cache. Used by tests only. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { renderToStaticMarkup } from "react-dom/server";
import { MemoryRouter, Route, Routes } from "react-router";
import { vi } from "vitest";
import { type Me, MeContext } from "../session/me";

export const technician: Me = {
  id: 2,
  username: "tech",
  name: "Wen",
  role: "technician",
  length_unit: "mm",
  force_unit: "N",
  light: "day",
  hears_at: "",
};

export type Known = [unknown[], unknown][];

/** Stand-ins for what only a browser has; the microphone is then not to be had. */
export function withoutBrowser() {
  const nothing = { getItem: () => null, setItem: () => undefined, removeItem: () => undefined };
  vi.stubGlobal("window", { isSecureContext: false, matchMedia: () => ({ matches: false }) });
  vi.stubGlobal("navigator", { maxTouchPoints: 0 });
  vi.stubGlobal("localStorage", nothing);
  vi.stubGlobal("sessionStorage", nothing);
}

export type Where = { me?: Me; path?: string; route?: string };

/** A view with all that stands around it: what is known, who is signed in, where one is. */
export function around(node: React.ReactNode, known: Known, { me = technician, path = "/", route = "*" }: Where) {
  const client = new QueryClient({
    defaultOptions: { queries: { staleTime: Number.POSITIVE_INFINITY, refetchInterval: false } },
  });
  for (const [key, data] of known) client.setQueryData(key, data);
  return (
    <QueryClientProvider client={client}>
      <MeContext value={me}>
        <MemoryRouter initialEntries={[path]}>
          <Routes>
            <Route path={route} element={node} />
          </Routes>
        </MemoryRouter>
      </MeContext>
    </QueryClientProvider>
  );
}

export function draw(node: React.ReactNode, known: Known = [], where: Where = {}) {
  return renderToStaticMarkup(around(node, known, where))
    .replace(/<[^>]*>/g, " ")
    .replace(/\s+/g, " ")
    .replaceAll("&#x27;", "'");
}
