/** Components as they stand in the application, and made-up things to show in them. */

import { ThemeProvider } from "@mui/material";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactElement } from "react";
import type { Job, Model, Order, Plan, RunSheet, Wish } from "../api/client";
import { theme } from "../app/theme";

/** Shows a component, and gives the hand that works it. */
export function show(element: ReactElement) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const within = (inner: ReactElement) => (
    <QueryClientProvider client={client}>
      <ThemeProvider theme={theme("paper")}>{inner}</ThemeProvider>
    </QueryClientProvider>
  );
  const shown = render(within(element));
  return { ...shown, user: userEvent.setup(), again: (next: ReactElement) => shown.rerender(within(next)) };
}

export const anOrder = (part: Partial<Order> = {}): Order =>
  ({
    id: 3,
    title: "Glassworks exhibition",
    client: "Vetreria Ombralunga",
    purpose: "wall prints",
    notes: "",
    originals: 4,
    jobs: { waiting: 0, paused: 0, running: 0, done: 0, failed: 0, cancelled: 0 },
    ...part,
  }) as unknown as Order;

export const aModel = (card: Record<string, unknown>): Model =>
  ({
    title: `${card["name"] as string}, draft`,
    pixels_per_second: 1e6,
    card: { factor: 1, grade: "draft", scores: [], cleaning: [], level: null, sha256: "5a", ...card },
  }) as unknown as Model;

export const aWish = (part: Partial<Wish> = {}): Wish => ({ faces: null, own_faces: null, areas: [], ...part }) as Wish;

export const aPlan = (part: Partial<Plan> = {}): Plan =>
  ({
    treatment: "aa11",
    sheet: { width: 4000, height: 3000 },
    resolved: { size: { width: 4000, height: 3000 }, factor: 4, print: { ppi: 254 } },
    faces: [],
    alternatives: [],
    ...part,
  }) as unknown as Plan;

export const aJob = (part: Partial<Job> = {}): Job =>
  ({
    id: 1,
    order_id: 3,
    original_id: 7,
    original_name: "furnace-hall.jpg",
    file_name: "furnace-hall_3543x2362.tif",
    state: "waiting",
    progress: 0,
    created_at: "2026-11-26T10:00:00Z",
    forecast: 30,
    ...part,
  }) as Job;

export const aSheet = (part: Partial<RunSheet> = {}): RunSheet =>
  ({
    ahead: [],
    ended: [],
    ended_in_all: 0,
    held_up: false,
    seconds_left: null,
    workers: [{ name: "worker 1", machine: "lab" }],
    ...part,
  }) as unknown as RunSheet;
