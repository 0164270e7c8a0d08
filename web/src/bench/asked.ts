/** What is asked of the server about the open picture, as it is now. */

import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import type { Original, Recipe } from "../api/client";
import { suggestionQuery, useForecast, usePlan, useReading } from "../api/queries";
import { useLast, useLater, usePaced } from "../app/later";
import type { IntentControl } from "./state";

/** While a hand drags or types, the server is asked a few times a second. */
const ASKED_EVERY_MS = 120;
/** The file's size is measured once the view has what it needs. */
const FORECAST_AFTER_MS = 900;

export function useAsked(original: Original, control: IntentControl) {
  const { follow } = control;
  const intent = usePaced(control.intent, ASKED_EVERY_MS);
  const reading = useReading(original.id);
  const { target, frame, surround, distance_m } = intent;
  const suggestion = useQuery({
    ...suggestionQuery(original.id, { target, frame, surround, distance_m }),
    placeholderData: keepPreviousData,
  });
  const latest = useRef<Recipe>(undefined);
  useEffect(() => {
    if (!suggestion.data || suggestion.isPlaceholderData) return;
    if (latest.current) follow(latest.current, suggestion.data.recipe);
    latest.current = suggestion.data.recipe;
  }, [suggestion.data, suggestion.isPlaceholderData, follow]);
  const plan = usePlan(original.id, intent);
  const answer = plan.error ? undefined : plan.data;
  const inWords = useLast(answer?.in_words, original.id);
  const fine = answer !== undefined && !plan.isPlaceholderData && answer.problem == null;
  const rested = useLater(intent, FORECAST_AFTER_MS, null);
  const forecast = useForecast(original.id, intent, fine && rested === intent);
  const blocked = plan.isError || answer === undefined || answer.problem != null;
  return { intent, reading, suggestion, plan, answer, inWords, forecast, blocked };
}
