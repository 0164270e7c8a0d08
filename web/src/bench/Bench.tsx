/** One picture on the bench: ticket line, stage, process rail. */

import { Alert, Box, Snackbar } from "@mui/material";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import {
  type Model,
  type OrderContents,
  type Original,
  type Recipe,
  type Wish,
  answered,
  api,
  sentence,
} from "../api/client";
import { keys, suggestionQuery, useForecast, usePlan, useReading } from "../api/queries";
import { useKept } from "../app/kept";
import { useLater } from "../app/later";
import { TILE } from "../stage/tiles";
import { Rail } from "./Rail";
import { StageView } from "./StageView";
import { TicketLine } from "./TicketLine";
import { choiceText } from "./cards/EnlargeCard";
import { PLAIN_FRAME, firstTarget, firstWish, useWish } from "./wish";

export const DEFAULT_PATTERN = "{name}_{width}x{height}";

interface BenchProps {
  original: Original;
  contents: OrderContents;
  models: Model[];
  /** Whether it is in view: keys are for what is seen. */
  active: boolean;
  onCancel: (job: number) => void;
  onRemove: () => void;
}

/** Opens with what was asked for last, or with what is suggested. */
export function Bench(props: BenchProps) {
  const { original } = props;
  const kept = original.wish;
  const first = useQuery({
    ...suggestionQuery(original.id, { target: firstTarget(original) }),
    enabled: kept == null,
  });
  if (kept) return <BenchWith {...props} first={kept} />;
  if (first.data) return <BenchWith {...props} first={firstWish(original, first.data)} />;
  return (
    <Box component="main" sx={{ flex: 1, bgcolor: "#777", display: "grid", placeItems: "center" }} aria-busy="true">
      {first.error && <Alert severity="error">{sentence(first.error)}</Alert>}
    </Box>
  );
}

function BenchWith(props: BenchProps & { first: Wish }) {
  const { original, contents, models, active } = props;
  const control = useWish(props.first);
  // While a figure is typed, the server is asked once the hand rests.
  const wish = useLater(control.wish, 120);
  const [pattern, setPattern] = useKept("pattern", DEFAULT_PATTERN);
  const [trouble, setTrouble] = useState<string>();
  const [mask, setMask] = useState(false);
  const client = useQueryClient();

  const reading = useReading(original.id);
  const { target, frame, surround, distance_m } = wish;
  const suggestion = useQuery({
    ...suggestionQuery(original.id, { target, frame, surround, distance_m }),
    placeholderData: keepPreviousData,
  });
  const { follow } = control;
  const latest = useRef<Recipe>(undefined);
  useEffect(() => {
    if (!suggestion.data || suggestion.isPlaceholderData) return;
    if (latest.current) follow(latest.current, suggestion.data.recipe);
    latest.current = suggestion.data.recipe;
  }, [suggestion.data, suggestion.isPlaceholderData, follow]);
  const plan = usePlan(original.id, wish);
  const answer = plan.error ? undefined : plan.data;
  const fine = answer !== undefined && !plan.isPlaceholderData && answer.problem == null;
  const forecast = useForecast(original.id, wish, fine);
  const blocked = plan.isError || answer === undefined || answer.problem != null;

  const run = useMutation({
    mutationFn: () =>
      answered(
        api.POST("/api/v1/originals/{id}/jobs", {
          params: { path: { id: original.id } },
          body: { ...control.wish, pattern },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: keys.order(original.order_id) }),
    onError: (error) => setTrouble(sentence(error)),
  });

  const { sheet, treatment: after, before, resolved } = answer ?? {};
  const plain = frame === undefined || JSON.stringify(frame) === JSON.stringify(PLAIN_FRAME);
  const subject = useMemo(() => {
    const size = sheet ?? original.facts.size;
    const factor = resolved?.factor ?? 1;
    // The sheet in pixels of the original: what all panes have in common.
    const extent = { width: size.width / factor, height: size.height / factor };
    const candidate = (hash: string | undefined, query?: string) => ({
      base: `/api/v1/tiles/${original.hash}/${hash}`,
      size,
      original: extent,
      query,
    });
    const far = Math.max(0, Math.ceil(Math.log2(Math.max(size.width, size.height) / TILE)));
    const bare = plain && Math.abs(extent.width - original.facts.size.width) < 1;
    return {
      picture: `${original.id} ${extent.width.toFixed(0)} ${extent.height.toFixed(0)} ${JSON.stringify(frame)}`,
      original: extent,
      thumbnail: bare
        ? `/api/v1/originals/${original.id}/thumbnail`
        : `/api/v1/tiles/${original.hash}/${before}/${far}/0/0`,
      before: candidate(before),
      after: candidate(after, mask ? "?show=edges" : undefined),
    };
  }, [original, sheet, resolved?.factor, after, before, frame, plain, mask]);

  const { undo, redo } = control;
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (!active || !(e.ctrlKey || e.metaKey) || (e.target as HTMLElement).tagName === "INPUT") return;
      if (e.key === "z" && !e.shiftKey) undo?.();
      else if ((e.key === "z" && e.shiftKey) || e.key === "y") redo?.();
      else if (e.key === "Enter" && !blocked) run.mutate();
      else return;
      e.preventDefault();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });

  const jobs = contents.jobs.filter((j) => j.original_id === original.id);
  return (
    <Box component="main" sx={{ flex: 1, minWidth: 0, minHeight: 0, display: "flex", flexDirection: "column" }}>
      <TicketLine
        original={original}
        control={control}
        plan={answer}
        error={plan.error}
        fileBytes={forecast.data?.bytes}
      />
      {answer ? (
        <StageView
          subject={subject}
          afterName={choiceText(wish.enlarge, models, answer)}
          instead={mask ? "White is made crisper, black is left alone" : undefined}
          before={control.wish.before ?? "bicubic"}
          onBefore={(kernel) => control.change({ before: kernel })}
        />
      ) : (
        <Box sx={{ flex: 1, bgcolor: "#777" }} />
      )}
      <Rail
        original={original}
        models={models}
        control={control}
        reading={reading.data}
        suggestion={suggestion.data}
        onMask={setMask}
        pattern={pattern}
        onPattern={setPattern}
        plan={answer}
        fileBytes={forecast.data?.bytes}
        blocked={blocked}
        starting={run.isPending}
        onRun={() => run.mutate()}
        job={jobs.find((j) => j.state === "running" || j.state === "waiting")}
        onCancel={props.onCancel}
        onRemove={props.onRemove}
        results={contents.enlargements.filter((e) => e.original_id === original.id)}
      />
      <Snackbar
        open={trouble !== undefined}
        onClose={() => setTrouble(undefined)}
        autoHideDuration={8000}
        message={trouble}
      />
    </Box>
  );
}
