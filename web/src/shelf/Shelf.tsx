/** The model shelf: what each model is for, with its evidence; adding one's own, retiring and restoring. */

import { Alert, Box, Button, Chip, Stack, Typography } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Model, answered, api, sentence } from "../api/client";
import { keys } from "../api/queries";
import { AddModel } from "./AddModel";
import { ModelCard } from "./ModelCard";
import { ShelfPlot } from "./ShelfPlot";
import { subjectName } from "./measures";

type Kind = "all" | "enlarge" | "clean" | "repair" | "face" | "own";

const repairs = ({ card }: Model) => card.kind === "find" || card.kind === "fill";

const KINDS: { kind: Kind; name: string; holds: (m: Model) => boolean }[] = [
  { kind: "all", name: "All", holds: () => true },
  { kind: "enlarge", name: "Make larger", holds: (m) => m.card.kind === "enlarge" },
  { kind: "clean", name: "Clean", holds: (m) => m.card.kind === "clean" },
  { kind: "repair", name: "Repair", holds: repairs },
  { kind: "face", name: "Faces", holds: (m) => m.card.kind === "face" },
  { kind: "own", name: "Your own", holds: (m) => m.card.trial != null },
];

export function Shelf({ models }: { models: Model[] }) {
  const client = useQueryClient();
  const [kind, setKind] = useState<Kind>("all");
  const [subject, setSubject] = useState<string>();
  const [adding, setAdding] = useState(false);
  const [added, setAdded] = useState<Model>();

  const retire = useMutation({
    mutationFn: ({ id, retired }: { id: string; retired: boolean }) => {
      const params = { params: { path: { id } } };
      return answered(
        retired ? api.POST("/api/v1/models/{id}/retire", params) : api.POST("/api/v1/models/{id}/restore", params),
      );
    },
    onSettled: () => client.invalidateQueries({ queryKey: keys.models }),
  });

  const ofKind = [...models].sort(byUse).filter(KINDS.find((k) => k.kind === kind)?.holds ?? (() => true));
  // Faces and repair are kinds already: once is enough.
  const named = ofKind.filter((m) => !m.card.trial && m.card.kind !== "face" && !repairs(m));
  const subjects = [...new Set(named.map((m) => subjectName(m.card)))];
  const shown = ofKind.filter(
    (m) => subject === undefined || !subjects.includes(subject) || subjectName(m.card) === subject,
  );
  const [offered, retired] = [shown.filter((m) => !m.retired), shown.filter((m) => m.retired)];
  const card = (m: Model) => (
    <ModelCard
      key={m.card.id}
      model={m}
      fresh={m.card.id === added?.card.id}
      onRetire={(retired) => retire.mutate({ id: m.card.id, retired })}
    />
  );

  return (
    <Box component="main" aria-label="Model shelf" sx={{ flex: 1, minWidth: 0, overflowY: "auto", px: 3, py: 2 }}>
      <Stack direction="row" spacing={2} sx={{ alignItems: "baseline", mb: 1.5 }}>
        <Typography variant="h1" component="h2">
          Model shelf
        </Typography>
        <Typography variant="body2" sx={{ color: "text.secondary", flex: 1 }}>
          Measured on pictures that no model has seen; every example is computed on this machine.
        </Typography>
        <Button variant="contained" onClick={() => setAdding(true)}>
          Add a model of your own
        </Button>
      </Stack>
      <Stack spacing={1} sx={{ mb: 2 }}>
        <Choices
          label="What it does"
          all={KINDS.map((k) => k.name)}
          chosen={KINDS.find((k) => k.kind === kind)?.name}
          onChoose={(name) => {
            setKind(KINDS.find((k) => k.name === name)?.kind ?? "all");
            setSubject(undefined);
          }}
        />
        <Choices
          label="Subject"
          all={subjects}
          chosen={subject}
          onChoose={(name) => setSubject(name === subject ? undefined : name)}
        />
      </Stack>
      {retire.isError && (
        <Alert severity="error" onClose={() => retire.reset()} sx={{ mb: 2 }}>
          {sentence(retire.error)}
        </Alert>
      )}
      {offered.length === 0 && (
        <Typography variant="body2" sx={{ my: 3 }}>
          {kind === "own"
            ? "No model of your own yet. Any ONNX file that makes a picture from a picture can be added: a trial run finds out how it works."
            : "No model here is offered at the moment."}
        </Typography>
      )}
      <ShelfPlot models={offered} />
      <Grid>{offered.map(card)}</Grid>
      {retired.length > 0 && (
        <>
          <Typography variant="h2" component="h3" sx={{ mt: 4, mb: 0.5 }}>
            Retired
          </Typography>
          <Typography variant="body2" sx={{ color: "text.secondary", mb: 1.5 }}>
            No longer offered; treatments that were made with them still run.
          </Typography>
          <Grid>{retired.map(card)}</Grid>
        </>
      )}
      <AddModel
        open={adding}
        onClose={() => setAdding(false)}
        onAdded={(model) => {
          setAdded(model);
          setKind("all");
          setSubject(undefined);
        }}
      />
    </Box>
  );
}

/** Everyday first, then the other enlargers, the cleaners, and a person's own; otherwise as they come. */
function byUse(a: Model, b: Model): number {
  const place = ({ card }: Model) => (card.trial ? 3 : card.kind === "clean" ? 2 : card.subject === "everyday" ? 0 : 1);
  return place(a) - place(b);
}

function Grid({ children }: { children: React.ReactNode }) {
  return (
    <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: "repeat(auto-fill, minmax(560px, 1fr))", maxWidth: 1840 }}>
      {children}
    </Box>
  );
}

function Choices(props: { label: string; all: string[]; chosen?: string; onChoose: (name: string) => void }) {
  return (
    <Stack direction="row" useFlexGap spacing={0.75} role="group" aria-label={props.label} sx={{ flexWrap: "wrap" }}>
      {props.all.map((name) => (
        <Chip
          key={name}
          label={name}
          size="small"
          clickable
          color={props.chosen === name ? "primary" : "default"}
          variant={props.chosen === name ? "filled" : "outlined"}
          aria-pressed={props.chosen === name}
          onClick={() => props.onChoose(name)}
        />
      ))}
    </Stack>
  );
}
