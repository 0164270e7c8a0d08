/** Ordering the run of a picture. */

import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { type Original, answered, api, newKey, sentence } from "../api/client";
import { keys } from "../api/queries";
import type { BenchStore } from "./state";

/** How much of a request a browser still sends once its page is closed: 64 KiB at most. */
const KEPT_ALIVE = 60_000;

export function useRun(original: Original, store: BenchStore, pattern: string) {
  const client = useQueryClient();
  // What is pressed again before the answer is there is the same order.
  const key = useRef(newKey());
  return useMutation({
    mutationFn: () => {
      const body = { ...store.getState().intent, pattern };
      // Ordered is ordered, even when the page is closed at once.
      const keepalive = JSON.stringify(body).length < KEPT_ALIVE;
      const params = { path: { id: original.id }, header: { "Idempotency-Key": key.current } };
      return answered(api.POST("/api/v1/originals/{id}/jobs", { params, body, keepalive }));
    },
    onSettled: () => {
      key.current = newKey();
    },
    onSuccess: () => client.invalidateQueries({ queryKey: keys.order(original.order_id) }),
    onError: (error) => store.say(sentence(error)),
  });
}
