import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App, askAhead } from "./App";
import { Refusal } from "./api/client";
import { keepHere } from "./offline/kept";
import "./style.css";

const client = new QueryClient({
  defaultOptions: {
    queries: {
      // Try, and say what came of it: a browser's idea of being online knows nothing of a workshop's own network.
      networkMode: "always",
      staleTime: 2000,
      // A refusal will not change by asking again; a dropped network may.
      retry: (count, error) => error instanceof Refusal && error.isPassing && count < 3,
    },
    mutations: { networkMode: "always" },
  },
});

askAhead(client);
keepHere();
createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <BrowserRouter>
        <App />
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
