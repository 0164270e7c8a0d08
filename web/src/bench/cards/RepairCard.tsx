/** What was done to a print: dots of ink that are taken out, dust, scratches and breaks that are filled, and faded tone that is brought back. */

import { Box, Button, FormControlLabel, Switch, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import type { Fade, Repair, Suggestion, Wear } from "../../api/client";
import { rules } from "../../api/rules";
import { mean, percent } from "../../app/format";
import { BRUSHES, HAIR, brushRadius } from "../brush";
import { unmarked } from "../marking";
import { CHANNELS } from "../../look/tokens";
import { Card } from "./Card";
import { Dial } from "./Dial";
import { Part, Reasons } from "./Part";

const KINDS = [
  ["specks", "Specks", "Dust and spots"],
  ["lines", "Lines", "Hairs, fibres and scratches"],
  ["breaks", "Breaks", "Creases, tears and flakes"],
] as const;

export interface Marking {
  marking?: "worn" | "sound";
  onMarking: (marking: "worn" | "sound" | undefined) => void;
  onShown: (shown: boolean) => void;
  /** Half the width of the brush, as a share of the picture's shorter side. */
  radius: number;
  onRadius: (radius: number) => void;
  /** Of the picture, in pixels. */
  size: { width: number; height: number };
}

export function RepairCard(props: {
  repair: Repair;
  /** The step in a few words. */
  words: string;
  suggestion?: Suggestion;
  onChange: (repair: Repair) => void;
  hand: Marking;
}) {
  const { repair, onChange, suggestion } = props;
  const { halftone, wear, fade } = repair;
  const usual = suggestion?.usual;
  const suggested = suggestion?.recipe.repair;
  const measuring = usual ? undefined : "The picture is being measured.";
  const noModels = usual && !usual.wear ? "There is no model for this on the shelf yet." : measuring;
  const noDots = usual && !usual.halftone ? "No dots of a print were found in this picture." : measuring;
  return (
    <Card name="Repair" state={props.words}>
      <>
        <Part
          name="Halftone"
          on={halftone != null}
          unavailable={noDots}
          onSwitch={(on) => onChange({ ...repair, halftone: on ? (usual?.halftone ?? null) : null })}
        >
          {halftone && (
            <Dial
              label="Taken out"
              effect="The share of the dots of ink that is taken out. The picture's own lines stay; detail finer than the dots was never printed."
              value={halftone.strength}
              format={percent}
              suggested={usual?.halftone?.strength}
              onChange={(strength) => onChange({ ...repair, halftone: { ...halftone, strength } })}
            />
          )}
        </Part>
        <Part
          name="Dust and scratches"
          on={wear != null}
          unavailable={noModels}
          columns={2}
          onSwitch={(on) => {
            if (!on) props.hand.onMarking(undefined);
            onChange({ ...repair, wear: on ? (usual?.wear ?? null) : null });
          }}
        >
          {wear && (
            <WearControls
              wear={wear}
              suggested={suggested?.wear ?? usual?.wear}
              hand={props.hand}
              onChange={(next) => onChange({ ...repair, wear: next })}
              onTakeBack={() => onChange(unmarked(repair))}
            />
          )}
        </Part>
        <Part
          name="Faded tone"
          on={fade != null}
          unavailable={measuring}
          columns={3}
          onSwitch={(on) => onChange({ ...repair, fade: on ? (usual?.fade ?? null) : null })}
          note={fade && <Ranges fade={fade} />}
        >
          {fade && (
            <FadeControls
              fade={fade}
              suggested={suggested?.fade ?? usual?.fade}
              onChange={(next) => onChange({ ...repair, fade: next })}
            />
          )}
        </Part>
        <Reasons texts={suggestion?.reasons.filter((r) => r.step === "repair").map((r) => r.text) ?? []} />
      </>
    </Card>
  );
}

function WearControls(props: {
  wear: Wear;
  suggested?: Wear | null;
  hand: Marking;
  onChange: (wear: Wear) => void;
  onTakeBack: () => void;
}) {
  const { wear, hand, onChange } = props;
  return (
    <>
      <Dial
        label="Sensitivity"
        effect="How readily something counts as wear. While it is held, what is filled shows amber: lower it where the picture's own points and lines are marked."
        value={wear.sensitivity}
        format={percent}
        suggested={props.suggested?.sensitivity}
        onChange={(sensitivity) => onChange({ ...wear, sensitivity })}
        onHold={hand.onShown}
      />
      <Box className="steps-back" sx={{ display: "flex", flexWrap: "wrap", alignContent: "start", columnGap: 1 }}>
        {KINDS.map(([kind, name, meaning]) => (
          <FormControlLabel
            key={kind}
            title={meaning}
            control={
              <Switch size="small" checked={wear[kind]} onChange={(_, on) => onChange({ ...wear, [kind]: on })} />
            }
            label={<Typography variant="body2">{name}</Typography>}
            sx={{ mr: 0.5 }}
          />
        ))}
      </Box>
      <Box
        className="steps-back"
        sx={{ gridColumn: "1 / -1", display: "flex", flexWrap: "wrap", gap: 1, whiteSpace: "nowrap", mt: 0.5 }}
      >
        <ToggleButtonGroup
          exclusive
          size="small"
          aria-label="Mark by hand"
          value={hand.marking ?? null}
          onChange={(_, next: "worn" | "sound" | null) => hand.onMarking(next ?? undefined)}
        >
          <ToggleButton
            value="worn"
            title="Paint over dust, scratches and gaps: a narrow mark is filled by the model, a gap from the picture's own texture"
          >
            Mark as worn
          </ToggleButton>
          <ToggleButton value="sound" title="Paint over what is the picture's own: nothing there is filled">
            Mark as sound
          </ToggleButton>
        </ToggleButtonGroup>
      </Box>
      {hand.marking && (
        <Dial
          label="Brush"
          effect="How wide the brush is. A narrow mark is filled by the model, a wide one from the picture's own texture."
          value={hand.radius}
          min={BRUSHES.least}
          max={BRUSHES.most}
          step={BRUSHES.step}
          format={(share) => `${Math.round(2 * brushRadius(share, hand.size))} px`}
          suggested={HAIR}
          onChange={hand.onRadius}
        />
      )}
      {(wear.strokes?.length ?? 0) > 0 && (
        <Button
          className="steps-back"
          sx={{ justifySelf: "start", alignSelf: "start", whiteSpace: "nowrap" }}
          onClick={props.onTakeBack}
        >
          Take back the last stroke
        </Button>
      )}
    </>
  );
}

function FadeControls(props: { fade: Fade; suggested?: Fade | null; onChange: (fade: Fade) => void }) {
  const { fade, suggested, onChange } = props;
  const { faded_black: blacks, faded_white: whites } = rules();
  /** All three colours are moved alike, so that their mean is the figure shown. */
  const moved = (values: number[], to: number, span: { least: number; most: number }) =>
    values.map((v) => Math.min(span.most, Math.max(span.least, v + to - mean(values))));
  return (
    <>
      <Dial
        label="Brought back"
        effect="The share of the contrast and colour that is brought back. The tint of a print of one tone stays."
        value={fade.strength}
        format={percent}
        suggested={suggested?.strength}
        onChange={(strength) => onChange({ ...fade, strength })}
      />
      <Dial
        label="Black is now"
        effect="How light the print's black is today. Measured; raise it where shadows are still grey."
        value={mean(fade.black)}
        max={blacks.most}
        step={0.01}
        format={percent}
        suggested={suggested ? mean(suggested.black) : undefined}
        onChange={(to) => onChange({ ...fade, black: moved(fade.black, to, blacks) })}
      />
      <Dial
        label="White is now"
        effect="How light the print's white is today. Measured; lower it where lights are still dull."
        value={mean(fade.white)}
        min={whites.least}
        step={0.01}
        format={percent}
        suggested={suggested ? mean(suggested.white) : undefined}
        onChange={(to) => onChange({ ...fade, white: moved(fade.white, to, whites) })}
      />
    </>
  );
}

const COLOURS = ["red", "green", "blue"] as const;

/** From where to where each colour of the print reaches today: what lies beside the bars is lost. */
function Ranges({ fade }: { fade: Fade }) {
  const words = COLOURS.map(
    (name, i) => `${name} from ${percent(fade.black[i] ?? 0)} to ${percent(fade.white[i] ?? 1)}`,
  ).join(", ");
  return (
    <Box role="img" aria-label={`What is left of the print's tones: ${words}`} sx={{ mt: 0.5, maxWidth: 320 }}>
      {COLOURS.map((name, i) => (
        <Box key={name} sx={{ position: "relative", height: 5, mb: "2px", bgcolor: "action.hover" }}>
          <Box
            sx={{
              position: "absolute",
              top: 0,
              bottom: 0,
              left: `${(fade.black[i] ?? 0) * 100}%`,
              right: `${(1 - (fade.white[i] ?? 1)) * 100}%`,
              bgcolor: CHANNELS[i],
            }}
          />
        </Box>
      ))}
    </Box>
  );
}
