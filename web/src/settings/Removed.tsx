/** What was removed: to be put back or, once that is certain, deleted for good. */

import {
  Alert,
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  Stack,
  Typography,
} from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Deleted, type Removed, answered, api, sentence } from "../api/client";
import { bytes, counted } from "../app/format";
import { Panel } from "./Panel";

const KINDS: Record<Removed["kind"], { one: string; where: (of: string) => string }> = {
  order: { one: "order", where: (of) => (of === "" ? "order" : `order of ${of}`) },
  original: { one: "picture", where: (of) => `picture of ${of}` },
  result: { one: "result", where: (of) => `result for ${of}` },
};

const total = (things: Removed[]) => things.reduce((sum, thing) => sum + thing.bytes, 0);

/** "2 orders, 1 picture and 4 results". */
function inWords(things: Removed[]): string {
  const counts = (["order", "original", "result"] as const)
    .map((kind) => ({ kind, count: things.filter((thing) => thing.kind === kind).length }))
    .filter(({ count }) => count > 0)
    .map(({ kind, count }) => counted(count, KINDS[kind].one));
  return counts.join(", ").replace(/, ([^,]*)$/, " and $1");
}

const putBack = ({ kind, id }: Removed) => {
  const path = { params: { path: { id } } };
  if (kind === "order") return answered(api.POST("/api/v1/orders/{id}/shelve", { ...path, body: { to: "current" } }));
  if (kind === "original") return answered(api.POST("/api/v1/originals/{id}/restore", path));
  return answered(api.POST("/api/v1/enlargements/{id}/restore", path));
};

export function RemovedPanel() {
  const client = useQueryClient();
  const removed = useQuery({
    queryKey: ["removed"],
    queryFn: () => answered(api.GET("/api/v1/removed")),
    staleTime: 0,
  });
  const [asking, setAsking] = useState<Removed[]>();
  const [gone, setGone] = useState<Deleted>();
  // An order, its pictures and what came of them are shown in many places.
  const refresh = () => client.invalidateQueries();
  const back = useMutation({ mutationFn: putBack, onSettled: refresh });
  const forGood = useMutation({
    // No later than the latest that was shown: what somebody removes meanwhile is not deleted unseen.
    mutationFn: (shown: Removed[]) =>
      answered(api.DELETE("/api/v1/removed", { params: { query: { until: shown[0]?.removed_at } } })),
    onSuccess: setGone,
    onSettled: () => {
      setAsking(undefined);
      void refresh();
    },
  });
  const things = removed.data ?? [];
  const error = removed.error ?? back.error ?? forGood.error;
  return (
    <Panel
      title="Removed"
      about="Orders off the list, pictures out of their orders, results thrown away. They are kept, and can be put back, until they are deleted for good."
    >
      {error != null && <Alert severity="error">{sentence(error)}</Alert>}
      {gone && gone.busy > 0 && (
        <Alert severity="info">
          {counted(gone.busy, "picture")} stayed, because a run of {gone.busy === 1 ? "it" : "them"} waits or is under
          way. Stop the run, or delete again when it is done.
        </Alert>
      )}
      {removed.data && things.length === 0 && <Typography variant="body2">Nothing is removed.</Typography>}
      {things.length > 0 && (
        <>
          <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none", maxHeight: 260, overflowY: "auto" }}>
            {things.map((thing) => (
              <Stack
                key={`${thing.kind} ${thing.id}`}
                component="li"
                direction="row"
                spacing={1}
                sx={{ alignItems: "center", borderBottom: 1, borderColor: "divider", py: 0.5 }}
              >
                <Box sx={{ flex: 1, minWidth: 0 }}>
                  <Typography variant="subtitle2" noWrap>
                    {thing.name}
                  </Typography>
                  <Typography variant="caption" noWrap sx={{ color: "text.secondary", display: "block" }}>
                    {KINDS[thing.kind].where(thing.of)}, removed{" "}
                    {new Date(thing.removed_at).toLocaleDateString("en-GB")}
                  </Typography>
                </Box>
                <Typography variant="body2" noWrap sx={{ color: "text.secondary" }}>
                  {bytes(thing.bytes)}
                </Typography>
                <Button
                  aria-label={`Put ${thing.name} back`}
                  disabled={back.isPending}
                  onClick={() => back.mutate(thing)}
                >
                  Put back
                </Button>
              </Stack>
            ))}
          </Box>
          <Stack direction="row" sx={{ alignItems: "center" }}>
            <Typography variant="body2" sx={{ flex: 1 }}>
              {inWords(things)}, {bytes(total(things))}
            </Typography>
            <Button color="error" onClick={() => setAsking(things)}>
              Delete for good …
            </Button>
          </Stack>
        </>
      )}
      {asking && (
        <Dialog open onClose={() => setAsking(undefined)} aria-labelledby="delete-title">
          <DialogTitle id="delete-title">Delete {inWords(asking)} for good?</DialogTitle>
          <DialogContent>
            <Typography>
              {bytes(total(asking))} of files go, with their results, decisions and links. Nothing brings them back. A
              file that another order has too stays for that order.
            </Typography>
          </DialogContent>
          <DialogActions>
            <Button onClick={() => setAsking(undefined)}>Keep them</Button>
            <Button
              color="error"
              variant="contained"
              disabled={forGood.isPending}
              onClick={() => forGood.mutate(asking)}
            >
              Delete for good
            </Button>
          </DialogActions>
        </Dialog>
      )}
    </Panel>
  );
}
