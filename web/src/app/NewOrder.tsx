/** Opens an order. */

import { Button, Dialog, DialogActions, DialogContent, DialogTitle, Stack, TextField } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answered, api, sentence } from "../api/client";
import { keys } from "../api/queries";

export function NewOrder(props: { open: boolean; onClose: () => void; onMade: (order: number) => void }) {
  const client = useQueryClient();
  const [title, setTitle] = useState("");
  const [customer, setCustomer] = useState("");
  const make = useMutation({
    mutationFn: () => answered(api.POST("/api/v1/orders", { body: { title, client: customer } })),
    onSuccess: async (order) => {
      await client.invalidateQueries({ queryKey: keys.orders });
      setTitle("");
      setCustomer("");
      props.onMade(order.id);
    },
  });
  return (
    <Dialog open={props.open} onClose={props.onClose} aria-labelledby="new-order">
      <form
        onSubmit={(e) => {
          e.preventDefault();
          make.mutate();
        }}
      >
        <DialogTitle id="new-order">New order</DialogTitle>
        <DialogContent>
          <Stack spacing={2} sx={{ pt: 1, width: 360 }}>
            <TextField
              label="Title"
              value={title}
              autoFocus
              required
              error={make.isError}
              helperText={make.isError ? sentence(make.error) : undefined}
              onChange={(e) => setTitle(e.target.value)}
            />
            <TextField label="Client" value={customer} onChange={(e) => setCustomer(e.target.value)} />
          </Stack>
        </DialogContent>
        <DialogActions>
          <Button onClick={props.onClose}>Back</Button>
          <Button type="submit" variant="contained" disabled={title.trim() === "" || make.isPending}>
            Open the order
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
