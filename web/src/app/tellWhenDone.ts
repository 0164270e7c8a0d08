import type { QueryClient } from "@tanstack/react-query";
import { type Job, answered, api } from "../api/client";
import { keys } from "../api/queries";

/** A notice of the browser, when the last job that was asked for has ended. */
export async function tellWhenDone(client: QueryClient, job: Job): Promise<void> {
  if (!("Notification" in window) || Notification.permission !== "granted") return;
  const sheet = await client.fetchQuery({
    queryKey: keys.runSheet,
    queryFn: () => answered(api.GET("/api/v1/run-sheet")),
    staleTime: 0,
  });
  if (sheet.ahead.length > 0) return;
  const failed = sheet.ended.filter((j) => j.state === "failed").length;
  new Notification("All runs are done", { body: failed > 0 ? `${failed} failed` : `The last was ${job.file_name}` });
}
