import "@fontsource-variable/source-sans-3";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { ClientLook } from "./access/ClientLook";
import { Refusal } from "./api/client";
import { App } from "./app/App";

const client = new QueryClient({
  defaultOptions: {
    queries: {
      refetchOnWindowFocus: false,
      // What was refused with a reason is refused again; what got no answer may get one.
      retry: (count, error) => count < 2 && !(error instanceof Refusal && error.problem.status < 500),
      staleTime: 30_000,
    },
  },
});

// A client's link has a page of its own, and nothing of the rest.
const token = /^\/look\/([A-Za-z0-9]+)$/.exec(window.location.pathname)?.[1];

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>{token ? <ClientLook token={token} /> : <App />}</QueryClientProvider>
    </StrictMode>,
  );
}
