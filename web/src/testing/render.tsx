/** Components as they stand in the application, and made-up things to show in them. */

import { ThemeProvider } from "@mui/material";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import type { ReactElement, ReactNode } from "react";
import type {
  Card,
  Counts,
  Enlargement,
  Intent,
  Job,
  Model,
  Order,
  OrderContents,
  Original,
  Paper,
  Plan,
  RunSheet,
} from "../api/client";
import { IDENTITY } from "../stage/affine";
import { theme } from "../look/theme";
import { useCommandKeys } from "../app/keymap";

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

// Made-up, but whole: what the API's schema asks for is there, and nothing that it does not know.

const MADE_AT = "2026-11-26T10:00:00Z";

export const NO_COUNTS: Counts = {
  originals: 4,
  results: 0,
  unseen: 0,
  sent_back: 0,
  running: 0,
  waiting: 0,
  failed: 0,
};

export const anOrder = (part: Partial<Order> = {}): Order => ({
  id: 3,
  title: "Glassworks exhibition",
  client: "Vetreria Ombralunga",
  purpose: "wall prints",
  notes: "",
  reference: "",
  due_on: null,
  archived_at: null,
  created_at: MADE_AT,
  version: "1",
  print: null,
  print_in_words: "twice their size",
  counts: NO_COUNTS,
  first: [],
  ...part,
});

const CARD: Card = {
  id: "everyday-x4-draft",
  name: "Everyday x4",
  kind: "enlarge",
  subject: "everyday",
  grade: "draft",
  purpose: "",
  factor: 1,
  halo: 8,
  parameters: 80_000,
  licence: "CC-BY-SA-4.0",
  training_data: [],
  recipe: "",
  made_on: "2026-11-26",
  weaknesses: [],
  scores: [],
  cleaning: [],
  level: null,
  sha256: "5a",
};

/** What a trial found of a person's own model. */
export const aTrial = (channels: 1 | 3 = 3): NonNullable<Card["trial"]> => ({
  format: { layout: "channels_first", channels, input_range: "unit", output_range: "unit", blue_first: false },
  element: "float",
  factor: 4,
  halo: 8,
  multiple: 1,
  block_columns: 4,
  tile_difference: 0,
  likeness: 40,
  pixels_per_second: 1e6,
  bytes_per_pixel: 500,
});

export const aModel = (card: Partial<Card>, part: Partial<Model> = {}): Model => ({
  title: `${card.name ?? CARD.name}, draft`,
  pixels_per_second: 1e6,
  file_bytes: 320_000,
  retired: false,
  draws_screen: false,
  evidence: [],
  card: { ...CARD, ...card },
  ...part,
});

export const anIntent = (part: Partial<Intent> = {}): Intent => ({
  clean: { marks: null, noise: null, softness: null },
  enlarge: { by: "learned", subject: "everyday", grade: "draft", strength: 1 },
  faces: null,
  finish: { edges: null, grain: null },
  own_faces: null,
  areas: [],
  target: { by: "factor", factor: 4 },
  output: OUTPUT,
  ...part,
});

const OUTPUT: Intent["output"] = { format: "tiff", depth: 16, quality: 92 };

const PAPER: Paper = { width: 40, height: 30, unit: "cm" };

export const aPlan = (part: Partial<Plan> = {}): Plan => ({
  treatment: "aa11",
  description: "",
  in_words: {
    target: "40 × 30 cm at 254 ppi",
    frame: "whole picture",
    repair: "off",
    clean: "off",
    enlarge: "Everyday, draft",
    faces: "none found",
    finish: "off",
    deliver: "TIFF 16-bit",
    areas: [],
    name: "Everyday, draft",
  },
  passes: 1,
  is_there: false,
  own_levels: 2,
  kept: { width: 1000, height: 750 },
  sheet: { width: 4000, height: 3000 },
  resolved: {
    size: { width: 4000, height: 3000 },
    factor: 4,
    print: { ppi: 254, original_ppi: 63.5, paper: PAPER, picture: PAPER },
  },
  plain: { nearest: "00aa", bicubic: "00bb", lanczos3: "00cc" },
  place: IDENTITY,
  faces: [],
  alternatives: [],
  spent: [],
  ...part,
});

export const aJob = (part: Partial<Job> = {}): Job => ({
  id: 1,
  order_id: 3,
  original_id: 7,
  original_name: "furnace-hall.jpg",
  file_name: "furnace-hall_3543x2362.tif",
  treatment: "aa11",
  settings: OUTPUT,
  state: "waiting",
  progress: 0,
  priority: 0,
  attempts: 0,
  created_at: MADE_AT,
  forecast: 30,
  ...part,
});

export const aSheet = (part: Partial<RunSheet> = {}): RunSheet => ({
  ahead: [],
  ended: [],
  ended_in_all: 0,
  held_up: false,
  seconds_left: null,
  workers: [{ name: "worker 1", machine: "lab" }],
  ...part,
});

export const anOriginal = (part: Partial<Original> = {}): Original => ({
  id: 7,
  order_id: 3,
  hash: "0f",
  name: "furnace-hall.jpg",
  created_at: MADE_AT,
  facts: {
    size: { width: 1200, height: 800 },
    bytes: 420_000,
    format: "JPEG",
    depth: 8,
    channels: "colour",
    turned: false,
    had_transparency: false,
  },
  ...part,
});

export const aResult = (part: Partial<Enlargement> = {}): Enlargement => ({
  id: 12,
  original_id: 7,
  job_id: 1,
  file_name: "furnace-hall_4800x3200.tif",
  bytes: 90_000_000,
  created_at: MADE_AT,
  verdict: null,
  note: "",
  record: {
    original: "furnace-hall.jpg",
    original_sha256: "0f",
    original_size: { width: 1200, height: 800 },
    size: { width: 4800, height: 3200 },
    treatment: "Everyday x4, draft",
    treatment_hash: "aa11",
    settings: OUTPUT,
    seconds: 30,
    version: "0.1.0",
  },
  ...part,
});

export const contentsOf = (part: Partial<OrderContents> = {}): OrderContents => ({
  order: anOrder(),
  originals: [7, 8, 9].map((id) => anOriginal({ id, name: `picture-${id}.jpg` })),
  jobs: [],
  enlargements: [],
  ...part,
});

/** Commands answer to their keys in what is shown within. */
export function WithKeys({ children }: { children: ReactNode }) {
  useCommandKeys();
  return children;
}
