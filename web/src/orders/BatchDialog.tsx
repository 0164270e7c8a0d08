/** A run of many pictures, looked over before it starts: what stops it, what a person would want to know, and what mends it. */

import { rules } from "../api/rules";
import {
  Alert,
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  IconButton,
  LinearProgress,
  Link,
  MenuItem,
  Stack,
  TextField,
  Typography,
} from "@mui/material";
import CloseIcon from "@mui/icons-material/Close";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import {
  type Batch,
  type BatchItem,
  type BatchPlan,
  type Change,
  type FacesChoice,
  type Finding,
  type Order,
  type Ticket,
  type Treating,
  type Intent,
  answered,
  api,
  newKey,
  sentence,
} from "../api/client";
import { keys } from "../api/queries";
import { pathOf } from "../app/place";
import { bytes, counted, duration, pixels } from "../app/format";
import { FacesField } from "./FacesField";
import { PrintField } from "./PrintField";
import { TreatingField } from "./TreatingField";
import { changed } from "./batch";

type Output = Intent["output"];

const OUTPUTS: [string, Output][] = [
  ["TIFF, 16 bits", { format: "tiff", depth: 16 }],
  ["TIFF, 8 bits", { format: "tiff", depth: 8 }],
  ["PNG, 8 bits", { format: "png", depth: 8 }],
  ["JPEG, quality 92", { format: "jpeg", depth: 8, quality: 92 }],
  ["WebP", { format: "webp", depth: 8 }],
  ["DNG in the camera's colours, of raw files", { format: "dng", depth: 16 }],
];

export function BatchDialog(props: {
  order: Order;
  originals: number[];
  onClose: () => void;
  onQueued: (count: number) => void;
}) {
  const client = useQueryClient();
  const [treating, setTreating] = useState<Treating>({ how: "as_set" });
  const [faces, setFaces] = useState<FacesChoice>();
  const [prints, setPrints] = useState<Ticket[]>([]);
  const [files, setFiles] = useState<string[]>([]);
  const [pattern, setPattern] = useState("");
  const [changes, setChanges] = useState<Change[]>([]);
  const outputs = OUTPUTS.filter(([name]) => files.includes(name)).map(([, output]) => output);
  const batch: Batch = {
    originals: props.originals,
    treating,
    faces: faces ?? null,
    prints,
    outputs,
    pattern: pattern || null,
    changes,
  };
  const path = { id: props.order.id };
  // One dialog orders one run, however often its button is pressed.
  const [key] = useState(newKey);
  const plan = useQuery({
    queryKey: ["preflight", props.order.id, batch],
    queryFn: ({ signal }) =>
      answered(api.POST("/api/v1/orders/{id}/preflight", { params: { path }, body: batch, signal })),
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 0,
  });
  const run = useMutation({
    mutationFn: () => {
      const params = { path, header: { "Idempotency-Key": key } };
      return answered(api.POST("/api/v1/orders/{id}/jobs", { params, body: batch }));
    },
    onSuccess: (added) => {
      void client.invalidateQueries({ queryKey: keys.order(props.order.id) });
      void client.invalidateQueries({ queryKey: keys.runSheet });
      void client.invalidateQueries({ queryKey: keys.orders });
      props.onQueued(added.length);
    },
  });
  const answer = plan.data;
  // What was decided on single results does not outlast a change of what they are.
  const reset =
    <T,>(set: (value: T) => void) =>
    (value: T) => {
      set(value);
      setChanges([]);
    };

  return (
    <Dialog open onClose={props.onClose} aria-labelledby="batch-title" maxWidth={false}>
      <DialogTitle id="batch-title">Run {counted(props.originals.length, "picture")}</DialogTitle>
      <DialogContent sx={{ display: "flex", gap: 3, width: 1020, height: 520, overflow: "hidden" }}>
        <Stack spacing={2} sx={{ width: 300, flexShrink: 0, pt: 1, overflowY: "auto" }}>
          <TreatingField value={treating} asSet="each as it was left on the bench" onChange={reset(setTreating)} />
          <FacesField value={faces} own="as their treatment says" onChange={reset(setFaces)} />
          <PrintsField value={prints} names={answer?.prints ?? []} onChange={reset(setPrints)} />
          <FilesField value={files} onChange={reset(setFiles)} />
          <TextField
            label="Names"
            value={pattern}
            placeholder={rules().naming.default_pattern}
            slotProps={{ inputLabel: { shrink: true } }}
            helperText={rules()
              .naming.words.map((word) => `{${word}}`)
              .join(" ")}
            onChange={(e) => setPattern(e.target.value)}
          />
        </Stack>
        <Stack spacing={1} sx={{ flex: 1, minWidth: 0, minHeight: 0 }}>
          <Box sx={{ height: 3 }}>{plan.isFetching && <LinearProgress aria-label="Looking it over" />}</Box>
          {(plan.error ?? run.error) != null && <Alert severity="error">{sentence(run.error ?? plan.error)}</Alert>}
          {answer && <Preflight order={props.order.id} plan={answer} changes={changes} onChange={setChanges} />}
        </Stack>
      </DialogContent>
      <DialogActions>
        {answer != null && answer.stopped > 0 && (
          <Typography variant="body2" sx={{ color: "error.main", flex: 1, pl: 2 }}>
            {answer.stopped} cannot be run as they are: mend them or leave them out.
          </Typography>
        )}
        <Button onClick={props.onClose}>Back</Button>
        <Button
          variant="contained"
          disabled={!answer || answer.runs === 0 || answer.stopped > 0 || run.isPending || plan.isPlaceholderData}
          onClick={() => run.mutate()}
          data-testid="batch-run"
        >
          Run {answer?.runs ?? ""}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** The prints that each picture is made in, besides what it says itself. */
function PrintsField(props: { value: Ticket[]; names: string[]; onChange: (prints: Ticket[]) => void }) {
  const { value, onChange } = props;
  const [adding, setAdding] = useState(false);
  return (
    <Box>
      <Typography variant="caption" sx={{ color: "text.secondary" }}>
        Prints of each picture
      </Typography>
      {value.length === 0 && <Typography variant="body2">its own</Typography>}
      {value.map((_, i) => (
        <Stack key={i} direction="row" sx={{ alignItems: "center" }}>
          <Typography variant="body2" sx={{ flex: 1 }}>
            {props.names[i] ?? "\u2026"}
          </Typography>
          <IconButton
            aria-label={`Without ${props.names[i] ?? "this print"}`}
            onClick={() => onChange(value.filter((_, other) => other !== i))}
          >
            <CloseIcon fontSize="small" />
          </IconButton>
        </Stack>
      ))}
      {adding ? (
        <AddPrint
          onAdd={(print) => {
            onChange([...value, print]);
            setAdding(false);
          }}
        />
      ) : (
        <Button onClick={() => setAdding(true)} sx={{ ml: -0.75 }}>
          Add a print
        </Button>
      )}
    </Box>
  );
}

function FilesField(props: { value: string[]; onChange: (files: string[]) => void }) {
  return (
    <TextField
      select
      label="Files of each print"
      value={props.value}
      slotProps={{
        select: {
          multiple: true,
          displayEmpty: true,
          renderValue: (chosen) => ((chosen as string[]).length === 0 ? "its own" : (chosen as string[]).join("; ")),
        },
        inputLabel: { shrink: true },
      }}
      onChange={(e) => props.onChange(e.target.value as unknown as string[])}
    >
      {OUTPUTS.map(([name]) => (
        <MenuItem key={name} value={name}>
          {name}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** What the run comes to, and what is to be looked at before. */
function Preflight(props: {
  order: number;
  plan: BatchPlan;
  changes: Change[];
  onChange: (changes: Change[]) => void;
}) {
  const { plan } = props;
  const open = plan.items.filter((item) => item.findings.length > 0 || item.skipped);
  const sound = plan.items.length - open.length;
  return (
    <>
      <Typography variant="body2" data-testid="batch-summary">
        <strong>{counted(plan.runs, "result")}</strong>
        {plan.seconds != null && <>, about {duration(plan.seconds)} on one worker</>}, at most{" "}
        {bytes(plan.bytes_at_most)}
        {plan.bytes_free != null && <> of {bytes(plan.bytes_free)} free</>}.{" "}
        {open.length === 0
          ? "Nothing speaks against it."
          : `${sound > 0 ? `${sound} ${sound === 1 ? "is" : "are"} sound; these` : "These"} are to be looked at:`}
      </Typography>
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none", overflowY: "auto", flex: 1 }}>
        {open.map((item) => (
          <Item
            key={item.key}
            order={props.order}
            item={item}
            change={props.changes.find((c) => c.key === item.key)}
            onChange={(change) => props.onChange(changed(props.changes, change))}
          />
        ))}
      </Box>
    </>
  );
}

function AddPrint({ onAdd }: { onAdd: (print: Ticket) => void }) {
  const [print, setPrint] = useState<Ticket>();
  return (
    <Stack spacing={1} sx={{ pt: 1 }}>
      <PrintField value={print} none="choose" onChange={setPrint} />
      <Button disabled={print === undefined} onClick={() => print && onAdd(print)}>
        Add
      </Button>
    </Stack>
  );
}

const COLOURS: { [weight in Finding["weight"]]: string } = {
  stop: "error.main",
  warning: "primary.main",
  note: "measured",
};

function Item(props: { order: number; item: BatchItem; change?: Change; onChange: (change: Change) => void }) {
  const { item, change } = props;
  return (
    <Box
      component="li"
      sx={{ display: "flex", gap: 1.5, py: 1, borderTop: 1, borderColor: "divider", opacity: item.skipped ? 0.6 : 1 }}
    >
      <Box
        component="img"
        src={`/api/v1/originals/${item.original_id}/thumbnail`}
        alt=""
        loading="lazy"
        sx={{ width: 60, height: 44, objectFit: "contain", flexShrink: 0 }}
      />
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <Typography variant="body2" noWrap>
          <Link
            href={pathOf({ view: "bench", order: props.order, picture: item.original_id })}
            target="_blank"
            title="Opens it on the bench, beside this"
            color="inherit"
            sx={{ fontWeight: "fontWeightBold" }}
          >
            {item.name}
          </Link>{" "}
          {item.sheet && `to ${pixels(item.sheet)}`}
        </Typography>
        {item.skipped ? (
          <Typography variant="body2">left out</Typography>
        ) : (
          item.findings.map((finding) => (
            <Typography key={finding.text} variant="body2" sx={{ color: COLOURS[finding.weight] }}>
              {finding.text}
            </Typography>
          ))
        )}
      </Box>
      <Stack sx={{ flexShrink: 0, alignItems: "flex-end" }}>
        {!item.skipped &&
          item.findings.map(
            ({ fix }, i) =>
              fix && (
                <Button key={i} onClick={() => props.onChange({ key: item.key, fix, skip: false })}>
                  {fix.words}
                </Button>
              ),
          )}
        <Button
          color="inherit"
          onClick={() => props.onChange({ key: item.key, fix: change?.fix, skip: !item.skipped })}
        >
          {item.skipped ? "Take in" : "Leave out"}
        </Button>
      </Stack>
    </Box>
  );
}
