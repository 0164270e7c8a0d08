/** The process rail: one card per step in the order of the work; folded a line, opened its controls. */

import {
  Box,
  Button,
  ButtonBase,
  MenuItem,
  Popover,
  Stack,
  TextField,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from "@mui/material";
import { type ReactNode, useState } from "react";
import type { Choice, Enlargement, Format, Job, Kernel, Model, Original, Plan, Wish } from "../api/client";
import { bytes, decimal, duration, pixels } from "../app/format";
import { Record } from "./Record";
import { KERNEL_NAMES } from "./StageView";
import { Figure } from "./TargetFields";
import type { WishControl } from "./wish";

/** A step: its name and state in a line; its controls open upwards. */
function Card(props: { name: string; state: ReactNode; grow?: number; children: ReactNode }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <ButtonBase
        aria-haspopup="dialog"
        aria-expanded={anchor !== null}
        onClick={(e) => setAnchor(e.currentTarget)}
        sx={{
          flex: props.grow ?? 1,
          minWidth: 0,
          px: 2,
          py: 1,
          display: "block",
          textAlign: "left",
          borderRight: 1,
          borderColor: "divider",
          "&:hover": { bgcolor: "action.hover" },
        }}
      >
        <Typography variant="caption" sx={{ color: "text.secondary", display: "block", lineHeight: 1.3 }}>
          {props.name}
        </Typography>
        <Typography variant="body2" component="span" noWrap sx={{ display: "block", fontWeight: 600 }}>
          {props.state}
        </Typography>
      </ButtonBase>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "top", horizontal: "left" }}
        transformOrigin={{ vertical: "bottom", horizontal: "left" }}
        slotProps={{ paper: { role: "dialog", "aria-label": props.name } as object }}
      >
        {props.children}
      </Popover>
    </>
  );
}

export function Rail(props: {
  original: Original;
  models: Model[];
  control: WishControl;
  pattern: string;
  onPattern: (pattern: string) => void;
  plan?: Plan;
  fileBytes?: number;
  blocked: boolean;
  starting: boolean;
  onRun: () => void;
  job?: Job;
  onCancel: (job: number) => void;
  results: Enlargement[];
  onRemove: () => void;
}) {
  const { original, control, plan, job } = props;
  const { wish } = control;
  const busy = job && (job.state === "running" || job.state === "waiting");
  return (
    <Box
      component="section"
      aria-label="Process"
      sx={{
        display: "flex",
        alignItems: "stretch",
        minHeight: 56,
        flexShrink: 0,
        bgcolor: "background.paper",
        borderTop: 1,
        borderColor: "divider",
      }}
    >
      <Card
        name="Original"
        state={`${pixels(original.facts.size)}, ${original.facts.format} ${original.facts.depth}-bit`}
      >
        <OriginalFacts original={original} onRemove={props.onRemove} />
      </Card>
      <Card name="Enlarge" state={choiceText(wish.enlarge, props.models, plan)} grow={1.2}>
        <EnlargeControls
          wish={wish}
          models={props.models}
          onChange={(enlarge) => control.change({ enlarge })}
          plan={plan}
          original={original}
        />
      </Card>
      <Card name="Deliver" state={deliverText(wish, props.fileBytes)}>
        <DeliverControls
          wish={wish}
          pattern={props.pattern}
          onPattern={props.onPattern}
          onChange={(output) => control.change({ output })}
        />
      </Card>
      <Card
        name="Results"
        state={
          props.results.length === 0
            ? "none yet"
            : `${props.results.length}, the latest ${bytes(props.results[0]?.bytes ?? 0)}`
        }
        grow={0.8}
      >
        <Results results={props.results} />
      </Card>
      <Stack
        direction="row"
        spacing={1}
        sx={{ px: 2, alignItems: "center", minWidth: 216, justifyContent: "flex-end" }}
      >
        {busy ? (
          <>
            <Box sx={{ minWidth: 88, textAlign: "right" }} role="status" aria-live="polite">
              <Typography variant="body2" sx={{ fontWeight: 600 }}>
                {job.state === "waiting" ? "waiting" : `${Math.round(job.progress * 100)} %`}
              </Typography>
              <Typography variant="caption" sx={{ color: "text.secondary" }}>
                {job.seconds_left == null ? "\u00a0" : `${duration(job.seconds_left)} left`}
              </Typography>
            </Box>
            <Button variant="outlined" onClick={() => props.onCancel(job.id)}>
              Cancel
            </Button>
          </>
        ) : (
          <Button
            variant="contained"
            data-testid="run"
            disabled={props.blocked || props.starting}
            onClick={props.onRun}
            sx={{ px: 3, height: 36 }}
          >
            Run{plan?.seconds != null && !props.blocked ? `, ${duration(plan.seconds)}` : ""}
          </Button>
        )}
      </Stack>
    </Box>
  );
}

function Fact(props: { name: string; children: ReactNode }) {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "112px 1fr", columnGap: 1, py: 0.25 }}>
      <Typography variant="body2" component="dt" sx={{ color: "text.secondary" }}>
        {props.name}
      </Typography>
      <Typography variant="body2" component="dd" sx={{ m: 0, overflowWrap: "anywhere" }}>
        {props.children}
      </Typography>
    </Box>
  );
}

function OriginalFacts({ original, onRemove }: { original: Original; onRemove: () => void }) {
  const { facts } = original;
  const megapixels = (facts.size.width * facts.size.height) / 1e6;
  return (
    <Box component="dl" sx={{ m: 0, width: 360 }}>
      <Fact name="File">{original.name}</Fact>
      <Fact name="Size">
        {pixels(facts.size)}, {decimal(megapixels, megapixels < 10 ? 2 : 1)} megapixels
      </Fact>
      <Fact name="Format">
        {facts.format}, {facts.depth} bits, {facts.channels}, {bytes(facts.bytes)}
      </Fact>
      <Fact name="Profile">{facts.profile ?? "none: treated as sRGB"}</Fact>
      {facts.camera && (
        <Fact name="Camera">
          {facts.camera}
          {facts.iso ? `, ISO ${facts.iso}` : ""}
        </Fact>
      )}
      {facts.taken && <Fact name="Taken">{facts.taken}</Fact>}
      {facts.turned && <Fact name="Turned">stood upright, as the camera noted</Fact>}
      {facts.had_transparency && <Fact name="Transparency">laid on white</Fact>}
      <Stack direction="row" spacing={1} sx={{ mt: 1, ml: -0.75 }}>
        <Button component="a" href={`/api/v1/originals/${original.id}/file`} download>
          Download the original
        </Button>
        <Button color="inherit" onClick={onRemove}>
          Take out of the order
        </Button>
      </Stack>
    </Box>
  );
}

/** What enlarges, in words. */
export function choiceText(choice: Choice, models: Model[], plan?: Plan): string {
  if (choice.by === "plain") return `${KERNEL_NAMES[choice.kernel]}, no model`;
  if (plan && plan.passes === 0) return "no model needed at this size";
  const card = models.find((m) => m.card.subject === choice.subject)?.card;
  return `${card ? card.name.replace(/ x\d+$/, "") : choice.subject}, ${choice.grade}${plan && plan.passes > 1 ? `, ${plan.passes} passes` : ""}`;
}

function EnlargeControls(props: {
  wish: Wish;
  models: Model[];
  plan?: Plan;
  original: Original;
  onChange: (choice: Choice) => void;
}) {
  const { wish, models } = props;
  const families = [...new Map(models.map((m) => [`${m.card.subject} ${m.card.grade}`, m.card])).values()];
  const value =
    wish.enlarge.by === "plain" ? `plain ${wish.enlarge.kernel}` : `${wish.enlarge.subject} ${wish.enlarge.grade}`;
  const choose = (text: string) => {
    const [subject = "", rest = ""] = text.split(" ");
    props.onChange(
      subject === "plain"
        ? { by: "plain", kernel: rest as Kernel }
        : { by: "learned", subject, grade: rest as "draft" | "fine" },
    );
  };
  const used = models.filter(
    (m) =>
      wish.enlarge.by === "learned" && m.card.subject === wish.enlarge.subject && m.card.grade === wish.enlarge.grade,
  );
  return (
    <Stack spacing={1.5} sx={{ width: 380 }}>
      <TextField select label="Enlarge with" value={value} onChange={(e) => choose(e.target.value)}>
        {families.map((card) => (
          <MenuItem key={`${card.subject} ${card.grade}`} value={`${card.subject} ${card.grade}`}>
            {card.name.replace(/ x\d+$/, "")}, {card.grade}
          </MenuItem>
        ))}
        {Object.entries(KERNEL_NAMES).map(([kernel, name]) => (
          <MenuItem key={kernel} value={`plain ${kernel}`}>
            {name}, no model
          </MenuItem>
        ))}
      </TextField>
      {props.plan && <Typography variant="body2">{props.plan.description}</Typography>}
      {used.map((model) => (
        <Box key={model.card.id}>
          <Typography variant="body2" sx={{ fontWeight: 600 }}>
            {model.title}
          </Typography>
          <Typography variant="body2" sx={{ color: "measured" }}>
            {evidence(model)}
          </Typography>
        </Box>
      ))}
      {used[0] && (
        <Typography variant="caption" sx={{ color: "text.secondary" }}>
          {used[0].card.purpose} Known weaknesses: {used[0].card.weaknesses.join("; ")}.
        </Typography>
      )}
    </Stack>
  );
}

/** Measured gain and measured speed, in a line. */
function evidence(model: Model): string {
  const { scores } = model.card;
  const gains = scores.map((s) => s.model - s.bicubic);
  const mean = gains.reduce((a, b) => a + b, 0) / Math.max(1, gains.length);
  const gain =
    gains.length === 0
      ? "not measured yet"
      : `${mean > 0 ? "+" : ""}${decimal(mean)} dB over bicubic on ${gains.length} photographs it never saw (${decimal(Math.min(...gains))} to ${decimal(Math.max(...gains))})`;
  const speed = model.pixels_per_second ? `; ${decimal(model.pixels_per_second / 1e6)} megapixels a second here` : "";
  return gain + speed;
}

function deliverText(wish: Wish, fileBytes?: number): string {
  const { format, depth, quality } = wish.output;
  const kind = format === "jpeg" ? `JPEG, quality ${quality}` : `${format.toUpperCase()} ${depth}-bit`;
  return fileBytes === undefined ? kind : `${kind}, about ${bytes(fileBytes)}`;
}

function DeliverControls(props: {
  wish: Wish;
  pattern: string;
  onPattern: (p: string) => void;
  onChange: (output: Wish["output"]) => void;
}) {
  const { output, target } = props.wish;
  const { onChange } = props;
  return (
    <Stack spacing={2} sx={{ width: 340 }}>
      <ToggleButtonGroup
        exclusive
        fullWidth
        value={output.format}
        aria-label="Format"
        onChange={(_, format: Format | null) =>
          format && onChange({ ...output, format, depth: format === "jpeg" ? 8 : output.depth })
        }
      >
        <ToggleButton value="tiff">TIFF</ToggleButton>
        <ToggleButton value="png">PNG</ToggleButton>
        <ToggleButton value="jpeg">JPEG</ToggleButton>
      </ToggleButtonGroup>
      {output.format === "jpeg" ? (
        <Figure
          label="Quality, 1 to 100"
          whole
          value={output.quality ?? 92}
          onChange={(quality) => quality <= 100 && onChange({ ...output, quality })}
        />
      ) : (
        <ToggleButtonGroup
          exclusive
          fullWidth
          value={output.depth}
          aria-label="Bits per channel"
          onChange={(_, depth: 8 | 16 | null) => depth && onChange({ ...output, depth })}
        >
          <ToggleButton value={8}>8 bits</ToggleButton>
          <ToggleButton value={16}>16 bits</ToggleButton>
        </ToggleButtonGroup>
      )}
      <TextField
        label="Name"
        value={props.pattern}
        onChange={(e) => props.onPattern(e.target.value)}
        helperText="{name} {width} {height} {long} {ppi} {method} are filled in"
      />
      <Typography variant="caption" sx={{ color: "text.secondary" }}>
        The original's colour profile goes with it.{" "}
        {target.by === "print"
          ? `The file says ${decimal(target.ppi)} ppi.`
          : "The file states no resolution: give a print size for that."}
      </Typography>
    </Stack>
  );
}

function Results({ results }: { results: Enlargement[] }) {
  if (results.length === 0) {
    return (
      <Typography variant="body2" sx={{ width: 260 }}>
        Nothing was made of this picture yet. Run makes the file; it then appears here.
      </Typography>
    );
  }
  return (
    <Stack
      spacing={2}
      divider={<Box sx={{ borderTop: 1, borderColor: "divider" }} />}
      sx={{ width: 388, maxHeight: 420, overflowY: "auto" }}
    >
      {results.map((result) => (
        <Record key={result.id} result={result} />
      ))}
    </Stack>
  );
}
