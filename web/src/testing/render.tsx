/** Components as they stand in the application, and made-up things to show in them. */

import { ThemeProvider } from "@mui/material";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactElement } from "react";
import type { Enlargement, Job, Model, Order, OrderContents, Original, Plan, RunSheet, Intent } from "../api/client";
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
    reference: "",
    counts: { originals: 4, results: 0, unseen: 0, sent_back: 0, running: 0, waiting: 0, failed: 0 },
    ...part,
  }) as unknown as Order;

export const aModel = (card: Record<string, unknown>): Model =>
  ({
    title: `${card["name"] as string}, draft`,
    pixels_per_second: 1e6,
    evidence: [],
    card: { factor: 1, grade: "draft", scores: [], cleaning: [], level: null, sha256: "5a", ...card },
  }) as unknown as Model;

export const aWish = (part: Partial<Intent> = {}): Intent =>
  ({ faces: null, own_faces: null, areas: [], ...part }) as Intent;

const PAPER = { width: 40, height: 30, unit: "cm" };

export const aPlan = (part: Partial<Plan> = {}): Plan =>
  ({
    treatment: "aa11",
    sheet: { width: 4000, height: 3000 },
    resolved: { size: { width: 4000, height: 3000 }, factor: 4, print: { ppi: 254, paper: PAPER, picture: PAPER } },
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

export const anOriginal = (part: Partial<Original> = {}): Original =>
  ({
    id: 7,
    order_id: 3,
    hash: "0f",
    name: "furnace-hall.jpg",
    facts: { size: { width: 1200, height: 800 }, bytes: 420_000, format: "JPEG" },
    ...part,
  }) as unknown as Original;

export const aResult = (part: Partial<Enlargement> = {}): Enlargement =>
  ({
    id: 12,
    original_id: 7,
    file_name: "furnace-hall_4800x3200.tif",
    bytes: 90_000_000,
    created_at: "2026-11-26T10:00:00Z",
    verdict: null,
    record: { size: { width: 4800, height: 3200 }, treatment: "Everyday x4, draft", settings: { format: "tiff" } },
    ...part,
  }) as unknown as Enlargement;

export const contentsOf = (part: Partial<OrderContents> = {}): OrderContents => ({
  order: anOrder(),
  originals: [7, 8, 9].map((id) => anOriginal({ id, name: `picture-${id}.jpg` })),
  jobs: [],
  enlargements: [],
  ...part,
});
