/** Changes several pictures at once: their print, their treatment, their crop. */

import {
  Alert,
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  Stack,
} from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type FacesChoice, type Order, type Ticket, type Treating, answered, api, sentence } from "../api/client";
import { FacesField } from "./FacesField";
import { PrintField } from "./PrintField";
import { TreatingField } from "./TreatingField";
import { counted } from "../app/format";

export function EditDialog(props: {
  order: Order;
  originals: number[];
  onClose: () => void;
  onDone: (text: string, undo: () => Promise<unknown>) => void;
}) {
  const client = useQueryClient();
  const [print, setPrint] = useState<Ticket>();
  const [treating, setTreating] = useState<Treating>({ how: "as_set" });
  const [faces, setFaces] = useState<FacesChoice>();
  const [crop, setCrop] = useState(false);
  const count = props.originals.length;
  const refresh = () => client.removeQueries({ queryKey: ["intent"] });
  const edit = useMutation({
    mutationFn: () =>
      answered(
        api.POST("/api/v1/orders/{id}/edit", {
          params: { path: { id: props.order.id } },
          body: { originals: props.originals, print, treating, faces, crop_to_print: crop },
        }),
      ),
    onSuccess: (changed) => {
      refresh();
      props.onDone(`${changed.length} ${changed.length === 1 ? "picture was" : "pictures were"} changed`, async () => {
        for (const { id, before } of changed) {
          await answered(api.PUT("/api/v1/originals/{id}/intent", { params: { path: { id } }, body: before }));
        }
        refresh();
      });
    },
  });
  return (
    <Dialog open onClose={props.onClose} aria-labelledby="edit-title">
      <DialogTitle id="edit-title">Change {counted(count, "picture")}</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ pt: 1, width: 360 }}>
          {edit.isError && <Alert severity="error">{sentence(edit.error)}</Alert>}
          <PrintField value={print} none="leave as it is" onChange={setPrint} />
          <FormControlLabel
            control={<Checkbox checked={crop} onChange={(_, on) => setCrop(on)} />}
            label="Crop each, around its middle, to the shape of its print"
          />
          <TreatingField value={treating} asSet="leave as it is" onChange={setTreating} />
          <FacesField value={faces} own="leave as they are" onChange={setFaces} />
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={props.onClose}>Back</Button>
        <Button
          variant="contained"
          disabled={
            edit.isPending || (print === undefined && treating.how === "as_set" && faces === undefined && !crop)
          }
          onClick={() => edit.mutate()}
        >
          Change
        </Button>
      </DialogActions>
    </Dialog>
  );
}
