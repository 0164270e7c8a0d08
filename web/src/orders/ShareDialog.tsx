/** Links with which a client looks at an order's results for a while. */

import {
  Alert,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  Stack,
  TextField,
  Typography,
} from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Order, answered, api, sentence } from "../api/client";

export function ShareDialog({ order, onClose }: { order: Order; onClose: () => void }) {
  const client = useQueryClient();
  const [days, setDays] = useState("14");
  const path = { id: order.id };
  const key = ["links", order.id];
  const links = useQuery({
    queryKey: key,
    queryFn: () => answered(api.GET("/api/v1/orders/{id}/links", { params: { path } })),
  });
  const refresh = () => client.invalidateQueries({ queryKey: key });
  const make = useMutation({
    mutationFn: () =>
      answered(api.POST("/api/v1/orders/{id}/links", { params: { path }, body: { days: Number(days) } })),
    onSettled: refresh,
  });
  const end = useMutation({
    mutationFn: (link: number) =>
      answered(api.DELETE("/api/v1/orders/{id}/links/{link}", { params: { path: { ...path, link } } })),
    onSettled: refresh,
  });
  const until = (date: string) => new Date(date).toLocaleDateString("en-GB", { day: "numeric", month: "long" });
  return (
    <Dialog open onClose={onClose} aria-labelledby="share-title">
      <DialogTitle id="share-title">A link for the client</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ width: 440, pt: 1 }}>
          <Typography variant="body2">
            Whoever has the link sees the results of this order before and after, and nothing else, until it ends.
          </Typography>
          {(make.error ?? end.error) != null && <Alert severity="error">{sentence(make.error ?? end.error)}</Alert>}
          <Stack direction="row" spacing={1}>
            <TextField label="Days" value={days} onChange={(e) => setDays(e.target.value)} sx={{ width: 96 }} />
            <Button variant="contained" disabled={!(Number(days) >= 1) || make.isPending} onClick={() => make.mutate()}>
              Make a link
            </Button>
          </Stack>
          {make.data?.path && (
            <TextField
              label="Copy it now: it is shown this once"
              value={`${window.location.origin}${make.data.path}`}
              slotProps={{
                htmlInput: { readOnly: true, onFocus: (e: React.FocusEvent<HTMLInputElement>) => e.target.select() },
              }}
            />
          )}
          {links.data?.map((link) => (
            <Stack key={link.id} direction="row" sx={{ alignItems: "center" }}>
              <Typography variant="body2" sx={{ flex: 1 }}>
                A link that holds until {until(link.expires_at)}
              </Typography>
              <Button onClick={() => end.mutate(link.id)}>End it</Button>
            </Stack>
          ))}
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
