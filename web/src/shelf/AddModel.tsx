/** A person's own model: choose a file, wait for its trial run, read what was found or why it was refused. */

import {
  Alert,
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  LinearProgress,
  Stack,
  TextField,
  Typography,
} from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { type Model, addModel, sentence } from "../api/client";
import { keys } from "../api/queries";
import { speed } from "./measures";

export function AddModel(props: { open: boolean; onClose: () => void; onAdded: (model: Model) => void }) {
  const client = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File>();
  const [name, setName] = useState("");
  const add = useMutation({
    mutationFn: ({ file, name }: { file: File; name: string }) => addModel(file, name),
    onSuccess: async (model) => {
      await client.invalidateQueries({ queryKey: keys.models });
      props.onAdded(model);
    },
  });
  const close = () => {
    props.onClose();
    if (!add.isPending) {
      add.reset();
      setFile(undefined);
      setName("");
    }
  };
  const choose = (chosen: File | undefined) => {
    if (!chosen) return;
    setFile(chosen);
    setName(chosen.name.replace(/\.onnx$/i, "").slice(0, 60));
    add.reset();
  };
  return (
    <Dialog open={props.open} onClose={close} aria-labelledby="add-model">
      <DialogTitle id="add-model">Add a model of your own</DialogTitle>
      <DialogContent>
        <Stack spacing={2} sx={{ width: 480 }}>
          <Typography variant="body2">
            Any ONNX file that makes a picture from a picture, with its weights inside and free height and width. It is
            tried in a process of its own, with little memory and little time; the trial finds out factor, range, order
            of colours, tile size and speed.
          </Typography>
          <input
            ref={input}
            type="file"
            accept=".onnx"
            hidden
            data-testid="model-input"
            onChange={(e) => {
              choose(e.target.files?.[0]);
              e.target.value = "";
            }}
          />
          {!add.isSuccess && (
            <>
              <Box sx={{ display: "flex", gap: 2, alignItems: "center" }}>
                <Button variant="outlined" onClick={() => input.current?.click()} disabled={add.isPending}>
                  Choose a file
                </Button>
                <Typography variant="body2" noWrap>
                  {file?.name ?? "none chosen"}
                </Typography>
              </Box>
              <TextField
                label="Name on the shelf"
                value={name}
                disabled={!file || add.isPending}
                onChange={(e) => setName(e.target.value)}
                slotProps={{ htmlInput: { maxLength: 60 } }}
              />
            </>
          )}
          {add.isPending && (
            <Box aria-live="polite">
              <LinearProgress aria-label="Trial run" />
              <Typography variant="body2" sx={{ mt: 0.5 }}>
                Trying it on a test card: some seconds, two minutes at most.
              </Typography>
            </Box>
          )}
          {add.isError && <Alert severity="error">{sentence(add.error)}</Alert>}
          {add.isSuccess && <Found model={add.data} />}
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>{add.isSuccess ? "Close" : "Back"}</Button>
        {!add.isSuccess && (
          <Button
            variant="contained"
            disabled={!file || name.trim() === "" || add.isPending}
            onClick={() => file && add.mutate({ file, name })}
          >
            Try and add
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}

function Found({ model }: { model: Model }) {
  const { card } = model;
  return (
    <Alert severity="success" variant="outlined">
      <strong>{card.name}</strong> is on the shelf: it{" "}
      {card.kind === "enlarge"
        ? `makes pictures ${card.factor} times larger`
        : "keeps the size and stands among the cleaners"}
      {card.trial?.format.channels === 1 && ", brightness alone"}; {speed(model)}. You find it on the bench under{" "}
      {card.kind === "enlarge" ? "Enlarge" : "Clean"}.
    </Alert>
  );
}
