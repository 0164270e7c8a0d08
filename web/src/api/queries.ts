/** What is shown of the server's state, kept current by its events. */

import { type QueryClient, keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import {
  type Instruction,
  type Job,
  type OrderContents,
  type Original,
  type RunSheet,
  type Steps,
  type SuggestionFor,
  type Intent,
  answered,
  api,
} from "./client";

export const keys = {
  orders: ["orders"] as const,
  order: (id: number) => ["order", id] as const,
  models: ["models"] as const,
  runSheet: ["run-sheet"] as const,
  products: ["products"] as const,
  house: ["house-treatments"] as const,
};

export const ordersQuery = { queryKey: keys.orders, queryFn: () => answered(api.GET("/api/v1/orders")) };

export const useOrders = () => useQuery(ordersQuery);

export const orderQuery = (id: number) => ({
  queryKey: keys.order(id),
  queryFn: () => answered(api.GET("/api/v1/orders/{id}", { params: { path: { id } } })),
});

export const useOrder = (id: number | undefined) => useQuery({ ...orderQuery(id ?? 0), enabled: id !== undefined });

export const modelsQuery = { queryKey: keys.models, queryFn: () => answered(api.GET("/api/v1/models")) };

export const useModels = () =>
  useQuery({
    ...modelsQuery,
    // Until the models' speed is measured, a moment after the server's start.
    refetchInterval: (query) => (query.state.data?.every((m) => m.pixels_per_second) ? false : 2000),
  });

/** All that is ahead and what ended last, of all orders; events keep it current. */
export const useRunSheet = () =>
  useQuery({
    queryKey: keys.runSheet,
    queryFn: () => answered(api.GET("/api/v1/run-sheet")),
    // Workers come and go without an event.
    refetchInterval: 5000,
  });

export const useProducts = () =>
  useQuery({ queryKey: keys.products, queryFn: () => answered(api.GET("/api/v1/products")) });

export const useHouseTreatments = () =>
  useQuery({ queryKey: keys.house, queryFn: () => answered(api.GET("/api/v1/house-treatments")) });

/** What was measured on an original. */
export const useReading = (original: number) =>
  useQuery({
    queryKey: ["reading", original],
    queryFn: () => answered(api.GET("/api/v1/originals/{id}/reading", { params: { path: { id: original } } })),
    staleTime: Infinity,
  });

/** The faces that were found on an original. */
export const useFaces = (original: number) =>
  useQuery({
    queryKey: ["faces", original],
    queryFn: () => answered(api.GET("/api/v1/originals/{id}/faces", { params: { path: { id: original } } })),
    staleTime: Infinity,
  });

/** How far a restored face departs from the original; `face` is its place in the treatment. */
export const useRestoration = (hash: string, treatment: string | undefined, face: number | undefined) =>
  useQuery({
    queryKey: ["restoration", hash, treatment, face],
    queryFn: ({ signal }) =>
      answered(
        api.GET("/api/v1/faces/{original}/{treatment}/{face}", {
          params: { path: { original: hash, treatment: treatment ?? "", face: face ?? 0 } },
          signal,
        }),
      ),
    enabled: treatment !== undefined && face !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });

/** How often a rehearsal that goes on is asked how far it is. */
const REHEARSAL_MS = 700;

/** The last rehearsal of a picture, followed while it goes on; null where there is none. */
export const useRehearsal = (original: number) =>
  useQuery({
    queryKey: ["rehearsal", original],
    queryFn: () => answered(api.GET("/api/v1/originals/{id}/rehearsal", { params: { path: { id: original } } })),
    refetchInterval: (query) => (query.state.data && !query.state.data.finished ? REHEARSAL_MS : false),
  });

/** What is suggested for a print of an original. */
export const suggestionQuery = (original: number, wanted: SuggestionFor) => ({
  queryKey: ["suggestion", original, wanted],
  queryFn: () =>
    answered(api.POST("/api/v1/originals/{id}/suggestion", { params: { path: { id: original } }, body: wanted })),
  staleTime: Infinity,
  retry: false,
});

/** Where an original opens, in its own pixels. */
export const openingQuery = (original: number) => ({
  queryKey: ["opening", original],
  queryFn: () => answered(api.GET("/api/v1/originals/{id}/opening", { params: { path: { id: original } } })),
  staleTime: Infinity,
});

/** What was asked for of the first picture, from when it was asked for before anything was drawn until it is put on the bench. */
let handed: { original: number; intent: Intent } | undefined;

export function handOver(original: number, intent: Intent): void {
  handed = { original, intent };
}

function takeOver(original: number): Intent | undefined {
  const intent = handed?.original === original ? handed.intent : undefined;
  handed = undefined;
  return intent;
}

/** What was last asked for, or else what comes first; asked anew each time a picture is put on the bench. */
export const useKeptIntent = (original: number) =>
  useQuery({
    queryKey: ["intent", original],
    queryFn: () => answered(api.GET("/api/v1/originals/{id}/intent", { params: { path: { id: original } } })),
    initialData: () => takeOver(original),
    staleTime: Infinity,
    gcTime: 0,
  });

/** Gives steps to several pictures of an order; the others among them are put on the bench with them next time. */
export function useApply(original: Original) {
  const client = useQueryClient();
  return async (steps: Steps, to: "all" | "same subject") => {
    const which = to === "all" ? to : { same_subject_as: original.id };
    const path = { id: original.order_id };
    const applied = await answered(
      api.POST("/api/v1/orders/{id}/apply", { params: { path }, body: { steps, to: which } }),
    );
    const others = applied.filter(({ id }) => id !== original.id);
    for (const { id } of others) client.removeQueries({ queryKey: ["intent", id] });
    return { all: applied.length, others: others.length };
  };
}

/** A part of the print, in its pixels. */
export interface SheetPart {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** What figures are taken of: a treatment, or a finished file with so many of its pixels per pixel of the print. */
export type Measured = { treatment: string } | { enlargement: number; scale: number };

function measure(hash: string, measured: Measured, part: SheetPart, signal: AbortSignal) {
  if ("treatment" in measured) {
    const path = { original: hash, treatment: measured.treatment };
    return answered(api.GET("/api/v1/measures/{original}/{treatment}", { params: { path, query: part }, signal }));
  }
  const px = (value: number) => Math.round(value * measured.scale);
  const query = { x: px(part.x), y: px(part.y), width: px(part.width), height: px(part.height) };
  const path = { id: measured.enlargement };
  return answered(api.GET("/api/v1/enlargements/{id}/measures", { params: { path, query }, signal }));
}

/** Figures of a part of results, one query for all of them; in their order. The part is in pixels of the print. */
export const useMeasures = (hash: string, measured: Measured[], part: SheetPart | undefined) =>
  useQuery({
    queryKey: ["measures", hash, measured, part],
    queryFn: ({ signal }) =>
      Promise.all(measured.map((m) => measure(hash, m, part ?? { x: 0, y: 0, width: 1, height: 1 }, signal))),
    enabled: part !== undefined && measured.length > 0,
    retry: false,
    gcTime: 60_000,
  });

/** What an intent means. */
export const planQuery = (original: number, intent: Intent) => ({
  queryKey: ["plan", original, intent],
  queryFn: ({ signal }: { signal: AbortSignal }) =>
    answered(api.POST("/api/v1/originals/{id}/plan", { params: { path: { id: original } }, body: intent, signal })),
});

/** The same for the bench; the last answer stays while the next one is on its way. */
export const usePlan = (original: number, intent: Intent) =>
  useQuery({
    ...planQuery(original, intent),
    placeholderData: keepPreviousData,
    retry: false,
    // The forecast of time follows the models' measurement.
    refetchInterval: (query) => (query.state.data && query.state.data.seconds == null ? 1500 : false),
  });

/** The treatment that an intent comes to, only tried out: what is asked for stays what it was. */
export const useTried = (original: number, intent: Intent | undefined) =>
  useQuery({
    queryKey: ["tried", original, intent],
    queryFn: async ({ signal }) => {
      const params = { path: { id: original }, query: { remember: false } };
      if (!intent) return null;
      const plan = await answered(api.POST("/api/v1/originals/{id}/plan", { params, body: intent, signal }));
      return plan.treatment;
    },
    enabled: intent !== undefined,
    retry: false,
    staleTime: Infinity,
    gcTime: 60_000,
  });

export const useForecast = (original: number, intent: Intent, enabled: boolean) =>
  useQuery({
    queryKey: ["forecast", original, intent],
    queryFn: ({ signal }) =>
      answered(
        api.POST("/api/v1/originals/{id}/forecast", { params: { path: { id: original } }, body: intent, signal }),
      ),
    enabled,
    // The last figure stays until the next is measured.
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: Infinity,
  });

/** Run sheet and orders are asked for anew at most so often while jobs change. */
const RELOAD_MS = 700;

/** Patches jobs into what is on screen as the server tells of them, and loads results when one is done. */
export function useEvents(order: number | undefined, onEnd: (job: Job) => void): void {
  const client = useQueryClient();
  const told = useRef(onEnd);
  useEffect(() => {
    told.current = onEnd;
  });
  useEffect(() => {
    const source = new EventSource("/api/v1/events");
    let timer: number | undefined;
    const reload = () => {
      timer ??= window.setTimeout(() => {
        timer = undefined;
        void client.invalidateQueries({ queryKey: keys.runSheet });
        void client.invalidateQueries({ queryKey: keys.orders });
      }, RELOAD_MS);
    };
    source.addEventListener("job", (event) => {
      const job = JSON.parse(event.data as string) as Job;
      if (job.order_id === order) take(client, order, job);
      if (job.finished_at) told.current(job);
      const sheet = client.getQueryData<RunSheet>(keys.runSheet);
      const next = sheet && progressed(sheet, job);
      // What only went on is patched, however long the sheet is; a turn, a start or an end changes more.
      if (next) client.setQueryData(keys.runSheet, next);
      else reload();
    });
    const again = () => {
      if (order !== undefined) void client.invalidateQueries({ queryKey: keys.order(order) });
      reload();
    };
    source.addEventListener("again", again);
    // After a break, what happened in between is not told again.
    source.addEventListener("open", again);
    return () => {
      source.close();
      window.clearTimeout(timer);
    };
  }, [client, order]);
}

/** The sheet with a job further on; nothing when more has changed than how far it is. */
export function progressed(sheet: RunSheet, job: Job): RunSheet | undefined {
  const known = sheet.ahead.find((j) => j.id === job.id);
  if (known?.state !== "running" || job.state !== "running") return undefined;
  const gone = (known.seconds_left ?? 0) - (job.seconds_left ?? 0);
  return {
    ...sheet,
    ahead: sheet.ahead.map((j) => (j.id === job.id ? job : j)),
    seconds_left: sheet.seconds_left == null ? null : Math.max(0, sheet.seconds_left - gone),
  };
}

function take(client: QueryClient, order: number, job: Job): void {
  let known = false;
  client.setQueryData<OrderContents>(keys.order(order), (contents) => {
    if (!contents) return contents;
    known = contents.jobs.some((j) => j.id === job.id);
    return { ...contents, jobs: contents.jobs.map((j) => (j.id === job.id ? job : j)) };
  });
  if (!known || job.state === "done") void client.invalidateQueries({ queryKey: keys.order(order) });
}

/** Takes pictures out of an order, or puts them back. */
export function useTakeOut(order: number | undefined, onError?: (error: unknown) => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ these, back }: { these: number[]; back: boolean }) => {
      for (const id of these) {
        const params = { params: { path: { id } } };
        await (back
          ? answered(api.POST("/api/v1/originals/{id}/restore", params))
          : answered(api.DELETE("/api/v1/originals/{id}", params)));
      }
    },
    onSettled: () => {
      if (order !== undefined) void client.invalidateQueries({ queryKey: keys.order(order) });
      void client.invalidateQueries({ queryKey: keys.orders });
    },
    onError,
  });
}

/** Does something with jobs, and loads what came of it. */
export function useInstruct() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ jobs, ...action }: Instruction) => answered(api.POST("/api/v1/jobs", { body: { jobs, ...action } })),
    onSettled: () => {
      void client.invalidateQueries({ queryKey: keys.runSheet });
      void client.invalidateQueries({ queryKey: ["order"] });
    },
  });
}
