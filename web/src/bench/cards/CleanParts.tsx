/** The parts of the Clean step: noise, compression marks, softness. */

import { MenuItem, TextField, Typography } from "@mui/material";
import type { Clean, Model, Reading, Suggestion } from "../../api/client";
import { decimal, mean, percent } from "../../app/format";
import { Dial } from "./Dial";
import { Part } from "./Part";
import { evidence } from "./evidence";

type Level = "noise" | "compression" | "softness";

export interface PartProps {
  clean: Clean;
  models: Model[];
  measured?: Reading["reading"];
  suggested?: Clean;
  /** What each part begins with when it is switched on by hand. */
  usual?: Suggestion["usual"];
  onChange: (clean: Clean) => void;
}

const cleaners = (models: Model[], level: Level) =>
  models.filter((m) => m.card.kind === "clean" && (m.card.level ?? level) === level);

/** Why a part cannot be switched on. */
function unavailable({ models, usual }: PartProps, level: Level): string | undefined {
  if (cleaners(models, level).length === 0) return "There is no model for this on the shelf yet.";
  return usual ? undefined : "The picture is being measured.";
}

/** What speaks for the model that a part uses. */
function Proof({ models, id }: { models: Model[]; id: string | undefined }) {
  const model = models.find((m) => m.card.id === id);
  return (
    model && (
      <Typography variant="caption" sx={{ color: "text.secondary", display: "block" }}>
        {model.title}: {evidence(model)}
      </Typography>
    )
  );
}

type ModelRef = NonNullable<Clean["noise"]>["model"];

interface ByProps {
  models: Model[];
  chosen: ModelRef;
  onChoose: (model: ModelRef) => void;
}

/** Which model does it, where there is a choice. */
function By({ models, chosen, onChoose }: ByProps) {
  if (models.length < 2) return null;
  return (
    <TextField
      select
      className="steps-back"
      label="By"
      value={chosen.model}
      onChange={(e) => {
        const card = models.find((m) => m.card.id === e.target.value)?.card;
        if (card) onChoose({ model: card.id, sha256: card.sha256 });
      }}
      sx={{ mt: 0.5, order: 6 }}
    >
      {models.map((m) => (
        <MenuItem key={m.card.id} value={m.card.id}>
          {m.title}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** Grain and colour speckle. */
export function NoisePart(props: PartProps) {
  const { clean, models, measured, suggested, usual, onChange } = props;
  const { noise } = clean;
  const changed = (part: Partial<NonNullable<Clean["noise"]>>): Clean => ({
    ...clean,
    noise: noise && { ...noise, ...part },
  });
  /** The whole curve is moved, so that its mean is the figure shown. */
  const levelTo = (sigma: number) => {
    if (!noise) return;
    const base = measured?.noise.level ?? noise.level;
    const factor = sigma / Math.max(0.1, mean(base));
    onChange(changed({ level: base.map((v) => v * factor) }));
  };
  return (
    <Part
      name="Noise"
      on={noise != null}
      onSwitch={(on) => onChange({ ...clean, noise: on ? (usual?.noise ?? null) : null })}
      unavailable={unavailable(props, "noise")}
      columns={3}
      note={<Proof models={models} id={noise?.model.model} />}
    >
      {noise && (
        <>
          <By
            models={cleaners(models, "noise")}
            chosen={noise.model}
            onChoose={(model) => onChange(changed({ model }))}
          />
          <Dial
            label="Noise level"
            effect="How much noise there is, in levels of 255. Measured; raise it where grain is left, lower it where tone looks wiped."
            value={mean(noise.level)}
            max={40}
            step={0.1}
            format={(v) => decimal(v, 1)}
            suggested={measured && mean(measured.noise.level)}
            onChange={levelTo}
          />
          <Dial
            label="Grain"
            effect="The share of brightness noise that goes. The rest stays as a fine, even grain."
            value={noise.grain}
            format={percent}
            suggested={suggested?.noise?.grain}
            onChange={(grain) => onChange(changed({ grain }))}
            blend={(grain) => ({ clean: changed({ grain }) })}
          />
          <Dial
            label="Colour speckle"
            effect="The share of coloured blotches that goes."
            value={noise.speckle}
            format={percent}
            suggested={suggested?.noise?.speckle}
            onChange={(speckle) => onChange(changed({ speckle }))}
            blend={(speckle) => ({ clean: changed({ speckle }) })}
          />
          <Dial
            label="Keep texture"
            effect="Lays back what was taken where the picture has texture: cloth, bark and plaster stay rough, sky stays smooth."
            value={noise.keep_texture}
            format={percent}
            suggested={suggested?.noise?.keep_texture}
            onChange={(keep_texture) => onChange(changed({ keep_texture }))}
            blend={(keep_texture) => ({ clean: changed({ keep_texture }) })}
          />
          <Dial
            label="Keep lines"
            effect="Lays back thin lines and points that were taken with the noise: wires, masts, strands, stars."
            value={noise.keep_lines ?? 0}
            format={percent}
            suggested={suggested?.noise?.keep_lines ?? undefined}
            onChange={(keep_lines) => onChange(changed({ keep_lines }))}
            blend={(keep_lines) => ({ clean: changed({ keep_lines }) })}
          />
        </>
      )}
    </Part>
  );
}

/** Blocks and fringes of a JPEG. */
export function MarksPart(props: PartProps) {
  const { clean, models, suggested, usual, onChange } = props;
  const { marks } = clean;
  const changed = (part: Partial<NonNullable<Clean["marks"]>>): Clean => ({
    ...clean,
    marks: marks && { ...marks, ...part },
  });
  return (
    <Part
      name="Compression marks"
      on={marks != null}
      onSwitch={(on) => onChange({ ...clean, marks: on ? (usual?.marks ?? null) : null })}
      unavailable={unavailable(props, "compression")}
      note={<Proof models={models} id={marks?.model.model} />}
    >
      {marks && (
        <>
          <By
            models={cleaners(models, "compression")}
            chosen={marks.model}
            onChoose={(model) => onChange(changed({ model }))}
          />
          <Dial
            label="Quality of the JPEG"
            effect="The quality at which the picture was compressed. Measured; lower it where blocks are left."
            value={marks.quality}
            min={10}
            max={95}
            step={1}
            format={(v) => v.toFixed(0)}
            suggested={usual?.marks?.quality}
            onChange={(q) => onChange(changed({ quality: q }))}
          />
          <Dial
            label="Strength"
            effect="The share of blocks and fringes that goes."
            value={marks.strength}
            format={percent}
            suggested={suggested?.marks?.strength}
            onChange={(strength) => onChange(changed({ strength }))}
            blend={(strength) => ({ clean: changed({ strength }) })}
          />
        </>
      )}
    </Part>
  );
}

/** Edges that are spread. */
export function SoftnessPart(props: PartProps) {
  const { clean, models, measured, suggested, usual, onChange } = props;
  const { softness } = clean;
  const changed = (part: Partial<NonNullable<Clean["softness"]>>): Clean => ({
    ...clean,
    softness: softness && { ...softness, ...part },
  });
  return (
    <Part
      name="Softness"
      on={softness != null}
      onSwitch={(on) => onChange({ ...clean, softness: on ? (usual?.softness ?? null) : null })}
      unavailable={unavailable(props, "softness")}
      note={<Proof models={models} id={softness?.model.model} />}
    >
      {softness && (
        <>
          <By
            models={cleaners(models, "softness")}
            chosen={softness.model}
            onChoose={(model) => onChange(changed({ model }))}
          />
          <Dial
            label="Spread of edges"
            effect="How far edges are spread. Measured; raise it where edges are still soft, lower it where they ring."
            value={softness.sigma}
            min={0.3}
            max={2.2}
            step={0.05}
            format={(v) => `${decimal(v)} px`}
            suggested={suggested?.softness?.sigma ?? measured?.softness?.sigma}
            onChange={(sigma) => onChange(changed({ sigma }))}
          />
          <Dial
            label="Strength"
            effect="The share of the softness that goes."
            value={softness.strength}
            format={percent}
            suggested={suggested?.softness?.strength}
            onChange={(strength) => onChange(changed({ strength }))}
            blend={(strength) => ({ clean: changed({ strength }) })}
          />
        </>
      )}
    </Part>
  );
}
