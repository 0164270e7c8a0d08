/** Opens an order, or says something else of one. */

import {
  Alert,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  MenuItem,
  Stack,
  TextField,
  Typography,
} from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Order, type OrderDetails, Refusal, answered, api, sentence } from "../api/client";
import { keys, useHouseTreatments } from "../api/queries";
import { PrintField } from "./PrintField";

const NEW: OrderDetails = { title: "", client: "", purpose: "", notes: "" };

/** `order` is the one to be changed; a new one is opened without. */
export function OrderDialog(props: { order?: Order; onClose: () => void; onDone: (order: Order) => void }) {
  const client = useQueryClient();
  const house = useHouseTreatments();
  const [details, setDetails] = useState<OrderDetails>(props.order ?? NEW);
  const set = (part: Partial<OrderDetails>) => setDetails((now) => ({ ...now, ...part }));
  const { title, client: customer, purpose, due_on, notes, print, house_treatment_id, least_ppi } = details;
  const body: OrderDetails = {
    title, client: customer, purpose, due_on, notes, print, house_treatment_id, least_ppi,
  }; // prettier-ignore
  const [version, setVersion] = useState(props.order?.version);
  const save = useMutation({
    mutationFn: () => {
      if (!props.order) return answered(api.POST("/api/v1/orders", { body }));
      const params = { path: { id: props.order.id }, header: { "If-Match": version } };
      return answered(api.PUT("/api/v1/orders/{id}", { params, body }));
    },
    onSuccess: async (order) => {
      await client.invalidateQueries({ queryKey: keys.orders });
      void client.invalidateQueries({ queryKey: keys.order(order.id) });
      void client.invalidateQueries({ queryKey: ["intent"] });
      props.onDone(order);
    },
  });
  const overtaken = save.error instanceof Refusal && save.error.problem.code === "order.changed";
  const theirs = useMutation({
    mutationFn: async (take: boolean) => {
      const id = props.order?.id ?? 0;
      const { order } = await answered(api.GET("/api/v1/orders/{id}", { params: { path: { id } } }));
      setVersion(order.version);
      if (take) setDetails(order);
      return take;
    },
    onSuccess: (taken) => {
      save.reset();
      if (!taken) save.mutate();
    },
  });
  return (
    <Dialog open onClose={props.onClose} aria-labelledby="order-title" maxWidth={false}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <DialogTitle id="order-title">{props.order ? "About this order" : "New order"}</DialogTitle>
        <DialogContent>
          {overtaken && (
            <Alert
              severity="warning"
              action={
                <>
                  <Button color="inherit" size="small" onClick={() => theirs.mutate(true)}>
                    Take theirs
                  </Button>
                  <Button color="inherit" size="small" onClick={() => theirs.mutate(false)}>
                    Keep mine
                  </Button>
                </>
              }
            >
              Somebody else has changed this order since you opened it.
            </Alert>
          )}
          <Stack direction="row" spacing={3} sx={{ pt: 1 }}>
            <Stack spacing={2} sx={{ width: 320 }}>
              <TextField
                label="Title"
                value={title}
                autoFocus
                required
                error={save.isError && !overtaken}
                helperText={save.isError && !overtaken ? sentence(save.error) : undefined}
                onChange={(e) => set({ title: e.target.value })}
              />
              <TextField label="Client" value={customer} onChange={(e) => set({ client: e.target.value })} />
              <TextField label="Purpose" value={purpose} onChange={(e) => set({ purpose: e.target.value })} />
              <TextField
                label="Due"
                type="date"
                value={due_on ?? ""}
                slotProps={{ inputLabel: { shrink: true } }}
                onChange={(e) => set({ due_on: e.target.value || null })}
              />
              <TextField
                label="Notes"
                multiline
                minRows={3}
                maxRows={8}
                value={notes}
                onChange={(e) => set({ notes: e.target.value })}
              />
            </Stack>
            <Stack spacing={2} sx={{ width: 320 }}>
              <Typography variant="body2" sx={{ color: "text.secondary" }}>
                For every picture that says nothing else:
              </Typography>
              <PrintField
                value={print ?? undefined}
                none="twice its size"
                onChange={(p) => set({ print: p ?? null })}
              />
              <TextField
                select
                label="Treatment"
                value={house_treatment_id ?? ""}
                slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
                onChange={(e) => set({ house_treatment_id: e.target.value === "" ? null : Number(e.target.value) })}
              >
                <MenuItem value="">as each picture suggests</MenuItem>
                {house.data?.map((h) => (
                  <MenuItem key={h.id} value={h.id}>
                    {h.name}
                  </MenuItem>
                ))}
              </TextField>
              <TextField
                label="Least resolution of the pictures themselves"
                type="number"
                value={least_ppi ?? ""}
                slotProps={{ htmlInput: { min: 1, max: 2400 } }}
                helperText="ppi at the print's size; a picture with less is pointed out before a run"
                onChange={(e) => set({ least_ppi: e.target.value === "" ? null : Number(e.target.value) })}
              />
            </Stack>
          </Stack>
        </DialogContent>
        <DialogActions>
          <Button onClick={props.onClose}>Back</Button>
          <Button type="submit" variant="contained" disabled={title.trim() === "" || save.isPending}>
            {props.order ? "Keep" : "Open the order"}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
