/** What is taken out before enlarging: compression marks, noise, softness. */

import { MenuItem, TextField, Typography } from "@mui/material";
import type { Clean, Model, Plan, Reading, Suggestion } from "../../api/client";
import { decimal, duration, mean, percent } from "../../app/format";
import { Card } from "./Card";
import { Dial } from "./Dial";
import { Part, Reasons } from "./Part";
import { evidence } from "./evidence";

type Level = "noise" | "compression" | "softness";

export function CleanCard(props: {
  clean: Clean;
  /** The step in a few words. */
  words: string;
  models: Model[];
  plan?: Plan;
  reading?: Reading;
  suggestion?: Suggestion;
  onChange: (clean: Clean) => void;
}) {
  const { clean, models, reading, onChange } = props;
  const suggested = props.suggestion?.recipe.clean;
  const cleaners = (level: Level) => models.filter((m) => m.card.kind === "clean" && (m.card.level ?? level) === level);
  const measured = reading?.reading;
  const usual = props.suggestion?.usual;
  const { noise, marks, softness } = clean;

  const switchNoise = (on: boolean) => onChange({ ...clean, noise: on ? (usual?.noise ?? null) : null });
  const switchMarks = (on: boolean) => onChange({ ...clean, marks: on ? (usual?.marks ?? null) : null });
  const switchSoftness = (on: boolean) => onChange({ ...clean, softness: on ? (usual?.softness ?? null) : null });
  /** The whole curve is moved, so that its mean is the figure shown. */
  const levelTo = (sigma: number) => {
    if (!noise) return;
    const base = measured?.noise.level ?? noise.level;
    const factor = sigma / Math.max(0.1, mean(base));
    onChange({ ...clean, noise: { ...noise, level: base.map((v) => v * factor) } });
  };
  /** What speaks for the model that a part uses. */
  const proof = (id: string | undefined) => {
    const model = models.find((m) => m.card.id === id);
    return (
      model && (
        <Typography variant="caption" sx={{ color: "text.secondary", display: "block" }}>
          {model.title}: {evidence(model)}
        </Typography>
      )
    );
  };
  const none = (level: Level) => {
    if (cleaners(level).length === 0) return "There is no model for this on the shelf yet.";
    return usual ? undefined : "The picture is being measured.";
  };

  return (
    <Card name="Clean" state={props.words}>
      <>
        <Part
          name="Noise"
          on={noise != null}
          onSwitch={switchNoise}
          unavailable={none("noise")}
          columns={3}
          note={proof(noise?.model.model)}
        >
          {noise && (
            <>
              {cleaners("noise").length > 1 && (
                <TextField
                  select
                  className="steps-back"
                  label="By"
                  value={noise.model.model}
                  onChange={(e) => {
                    const card = models.find((m) => m.card.id === e.target.value)?.card;
                    if (card)
                      onChange({ ...clean, noise: { ...noise, model: { model: card.id, sha256: card.sha256 } } });
                  }}
                  sx={{ mt: 0.5, order: 6 }}
                >
                  {cleaners("noise").map((m) => (
                    <MenuItem key={m.card.id} value={m.card.id}>
                      {m.title}
                    </MenuItem>
                  ))}
                </TextField>
              )}
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
                onChange={(grain) => onChange({ ...clean, noise: { ...noise, grain } })}
                blend={(grain) => ({ clean: { ...clean, noise: { ...noise, grain } } })}
              />
              <Dial
                label="Colour speckle"
                effect="The share of coloured blotches that goes."
                value={noise.speckle}
                format={percent}
                suggested={suggested?.noise?.speckle}
                onChange={(speckle) => onChange({ ...clean, noise: { ...noise, speckle } })}
                blend={(speckle) => ({ clean: { ...clean, noise: { ...noise, speckle } } })}
              />
              <Dial
                label="Keep texture"
                effect="Lays back what was taken where the picture has texture: cloth, bark and plaster stay rough, sky stays smooth."
                value={noise.keep_texture}
                format={percent}
                suggested={suggested?.noise?.keep_texture}
                onChange={(keep_texture) => onChange({ ...clean, noise: { ...noise, keep_texture } })}
                blend={(keep_texture) => ({ clean: { ...clean, noise: { ...noise, keep_texture } } })}
              />
              <Dial
                label="Keep lines"
                effect="Lays back thin lines and points that were taken with the noise: wires, masts, strands, stars."
                value={noise.keep_lines ?? 0}
                format={percent}
                suggested={suggested?.noise?.keep_lines ?? undefined}
                onChange={(keep_lines) => onChange({ ...clean, noise: { ...noise, keep_lines } })}
                blend={(keep_lines) => ({ clean: { ...clean, noise: { ...noise, keep_lines } } })}
              />
            </>
          )}
        </Part>
        <Part
          name="Compression marks"
          on={marks != null}
          onSwitch={switchMarks}
          unavailable={none("compression")}
          note={proof(marks?.model.model)}
        >
          {marks && (
            <>
              <Dial
                label="Quality of the JPEG"
                effect="The quality at which the picture was compressed. Measured; lower it where blocks are left."
                value={marks.quality}
                min={10}
                max={95}
                step={1}
                format={(v) => v.toFixed(0)}
                suggested={usual?.marks?.quality}
                onChange={(q) => onChange({ ...clean, marks: { ...marks, quality: q } })}
              />
              <Dial
                label="Strength"
                effect="The share of blocks and fringes that goes."
                value={marks.strength}
                format={percent}
                suggested={suggested?.marks?.strength}
                onChange={(strength) => onChange({ ...clean, marks: { ...marks, strength } })}
                blend={(strength) => ({ clean: { ...clean, marks: { ...marks, strength } } })}
              />
            </>
          )}
        </Part>
        <Part
          name="Softness"
          on={softness != null}
          onSwitch={switchSoftness}
          unavailable={none("softness")}
          note={proof(softness?.model.model)}
        >
          {softness && (
            <>
              <Dial
                label="Spread of edges"
                effect="How far edges are spread. Measured; raise it where edges are still soft, lower it where they ring."
                value={softness.sigma}
                min={0.3}
                max={2.2}
                step={0.05}
                format={(v) => `${decimal(v)} px`}
                suggested={suggested?.softness?.sigma ?? measured?.softness?.sigma}
                onChange={(sigma) => onChange({ ...clean, softness: { ...softness, sigma } })}
              />
              <Dial
                label="Strength"
                effect="The share of the softness that goes."
                value={softness.strength}
                format={percent}
                suggested={suggested?.softness?.strength}
                onChange={(strength) => onChange({ ...clean, softness: { ...softness, strength } })}
                blend={(strength) => ({ clean: { ...clean, softness: { ...softness, strength } } })}
              />
            </>
          )}
        </Part>
        <Reasons texts={props.suggestion?.reasons.filter((r) => r.step === "clean").map((r) => r.text) ?? []}>
          {props.plan?.clean_seconds != null && props.plan.clean_seconds > 0.05 && (
            <Typography variant="caption" sx={{ color: "text.secondary" }}>
              takes {duration(props.plan.clean_seconds)} of the run
            </Typography>
          )}
        </Reasons>
      </>
    </Card>
  );
}
