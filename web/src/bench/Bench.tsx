/** One picture on the bench: ticket line, stage, process rail. */

import { Box, Snackbar } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { type Model, type OrderContents, type Original, answered, api, sentence } from "../api/client";
import { keys, useForecast, usePlan } from "../api/queries";
import { useKept } from "../app/kept";
import { useLater } from "../app/later";
import { Rail, choiceText } from "./Rail";
import { StageView } from "./StageView";
import { TicketLine } from "./TicketLine";
import { useWish } from "./wish";

export const DEFAULT_PATTERN = "{name}_{width}x{height}";

export function Bench(props: {
  original: Original;
  contents: OrderContents;
  models: Model[];
  onCancel: (job: number) => void;
  onRemove: () => void;
}) {
  const { original, contents, models } = props;
  const control = useWish(original, models);
  // While a figure is typed, the server is asked once the hand rests.
  const wish = useLater(control.wish, 180);
  const [pattern, setPattern] = useKept("pattern", DEFAULT_PATTERN);
  const [trouble, setTrouble] = useState<string>();
  const client = useQueryClient();

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

  const { size: result } = answer?.resolved ?? { size: undefined };
  const [after, before] = [answer?.treatment, answer?.before];
  const subject = useMemo(() => {
    const size = original.facts.size;
    const candidate = (hash: string | undefined) => ({
      base: `/api/v1/tiles/${original.hash}/${hash}`,
      size: result ?? size,
      original: size,
    });
    return {
      picture: original.id,
      original: size,
      thumbnail: `/api/v1/originals/${original.id}/thumbnail`,
      before: candidate(before),
      after: candidate(after),
    };
  }, [original, result, after, before]);

  const { undo, redo } = control;
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (!(e.ctrlKey || e.metaKey) || (e.target as HTMLElement).tagName === "INPUT") return;
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
