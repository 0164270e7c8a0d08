import "@fontsource-variable/source-sans-3";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { ClientLook } from "./access/ClientLook";
import { Refusal, answered, api, sentence } from "./api/client";
import { setRules } from "./api/rules";
import { App } from "./app/App";
import { prepareFirst } from "./app/first";
import { recall } from "./app/kept";
import { COLOURS, type ThemeName } from "./look/tokens";

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

/** How long a server that does not answer is left alone before it is asked again. */
const PAUSE_MS = 1000;

async function begin(root: HTMLElement): Promise<void> {
  const first = token === undefined ? prepareFirst(client) : undefined;
  for (;;) {
    try {
      setRules(await answered(api.GET("/api/v1/rules")));
      break;
    } catch (error) {
      root.textContent = sentence(error);
      await new Promise((done) => setTimeout(done, PAUSE_MS));
    }
  }
  const awaited = (await first) ?? false;
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        {token ? <ClientLook token={token} /> : <App awaited={awaited} />}
      </QueryClientProvider>
    </StrictMode>,
  );
}

// The room's light before anything is drawn: no flash of white.
const kept = recall<ThemeName>("theme");
document.documentElement.style.backgroundColor = COLOURS[kept === "dim" ? kept : "paper"].ground;

const root = document.getElementById("root");
if (root) void begin(root);
