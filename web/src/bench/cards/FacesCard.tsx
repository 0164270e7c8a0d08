/** Faces: how far they are restored, each with its close-up before and after. */

import DeleteOutlineIcon from "@mui/icons-material/DeleteOutlined";
import { Box, Button, FormControlLabel, IconButton, Stack, Switch, Tooltip, Typography } from "@mui/material";
import type { Model, Original, OwnFace, Plan, PlannedFace, Suggestion, Intent } from "../../api/client";
import { useRestoration } from "../../api/queries";
import { decimal, percent } from "../../app/format";
import { changedFace, ownFaces, usualStrength, withoutFace } from "../faces";
import { STAGE_GROUND } from "../../look/tokens";
import { Card } from "./Card";
import { Dial } from "./Dial";
import { Column, Part, Reasons } from "./Part";

/** Why a face is left to the general model, in words. */
export function leftWords(left: string, eyes: number, departure?: number): string {
  if (left === "too_small") return `Only ${decimal(eyes, 0)} px between the eyes: too few to tell a likeness from.`;
  if (left === "large_enough") return `${decimal(eyes, 0)} px between the eyes: it is large enough as it is.`;
  return `It would depart from the original by ${decimal(departure ?? 0, 1)} ΔE: left to the general model.`;
}

export function FacesCard(props: {
  original: Original;
  intent: Intent;
  /** The step in a few words. */
  words: string;
  models: Model[];
  plan?: Plan;
  suggestion?: Suggestion;
  change: (part: Partial<Intent>) => void;
  shown: boolean;
  onShown: (shown: boolean) => void;
  /** The person draws a face on the stage, from eye to eye. */
  onDraw: () => void;
  onGo: (face: OwnFace) => void;
}) {
  const { original, intent, plan, change } = props;
  const faces = plan?.faces ?? [];
  const own = ownFaces(intent, plan);
  const offered = props.models.some((m) => m.card.kind === "face");
  const none = faces.length === 0 ? "No face was found. Draw one if you see one." : undefined;
  const unavailable = offered ? none : "There is no model on the shelf that restores faces.";
  const suggested = props.suggestion?.recipe.faces?.strength;
  const usual = usualStrength(props.models);
  return (
    <Card name="Faces" state={props.words}>
      {(close) => (
        <>
          <Column width={250}>
            <Part
              name="Restore faces"
              on={intent.faces != null}
              unavailable={unavailable}
              onSwitch={(on) => change({ faces: on ? { strength: suggested ?? usual } : null })}
            >
              {intent.faces && (
                <Dial
                  label="Strength"
                  effect="The share of the restored face: eyes, lids, brows, nose and lips. Skin tone and light stay the picture's own. Lower it where it is no longer the same person."
                  value={intent.faces.strength}
                  format={percent}
                  suggested={suggested}
                  onChange={(strength) => change({ faces: { strength } })}
                  blend={(strength) => ({ faces: { strength } })}
                />
              )}
            </Part>
            <Stack direction="row" spacing={1} className="steps-back">
              <Button
                variant="outlined"
                onClick={() => {
                  close();
                  props.onDraw();
                }}
              >
                Draw a face
              </Button>
              {intent.own_faces != null && (
                <Button color="inherit" onClick={() => change({ own_faces: null })}>
                  Back to those found
                </Button>
              )}
            </Stack>
            <FormControlLabel
              className="steps-back"
              control={<Switch size="small" checked={props.shown} onChange={(_, on) => props.onShown(on)} />}
              label={<Typography variant="body2">Mark on the stage</Typography>}
              sx={{ ml: -1 }}
            />
          </Column>
          {faces.length > 0 && (
            <Stack
              direction="row"
              spacing={2}
              sx={{ flex: "3 1 320px", minWidth: 0, overflowX: "auto", overflowY: "hidden" }}
            >
              {faces.map((face, i) => (
                <FaceRow
                  key={`${face.face.left_eye.x} ${face.face.left_eye.y}`}
                  number={i + 1}
                  original={original}
                  intent={intent}
                  plan={plan}
                  face={face}
                  own={own[i]}
                  usual={usual}
                  changed={(part) => changedFace(own, i, part)}
                  onChange={(own_faces) => change({ own_faces })}
                  onRemove={() => change({ own_faces: withoutFace(own, i) })}
                  onGo={() => own[i] && props.onGo(own[i])}
                />
              ))}
            </Stack>
          )}
          <Reasons texts={props.suggestion?.reasons.filter((r) => r.step === "faces").map((r) => r.text) ?? []} />
        </>
      )}
    </Card>
  );
}

function FaceRow(props: {
  number: number;
  original: Original;
  intent: Intent;
  plan?: Plan;
  face: PlannedFace;
  own?: OwnFace;
  /** Of all of them, where nothing is said. */
  usual: number;
  /** All faces, with a change of this one. */
  changed: (part: Partial<OwnFace>) => OwnFace[];
  onChange: (faces: OwnFace[]) => void;
  onRemove: () => void;
  onGo: () => void;
}) {
  const { number, original, plan, face, own, intent } = props;
  const { part, restored } = face;
  const restoration = useRestoration(original.hash, plan?.treatment, restored ?? undefined);
  const common = intent.faces?.strength ?? props.usual;
  const strength = own?.strength ?? common;
  // A face that stands where all of them stand goes with them.
  const withStrength = (value: number) => ({ strength: value === common ? null : value });
  const left = face.left ?? restoration.data?.left;
  const crop = (treatment: string) =>
    part &&
    `/api/v1/crops/${original.hash}/${treatment}?x=${part.x}&y=${part.y}&width=${part.width}&height=${part.height}`;
  const words = !part
    ? "Outside the crop."
    : left
      ? leftWords(left, face.eyes, restoration.data?.departure)
      : restored != null
        ? `${decimal(face.eyes, 0)} px between the eyes. ${
            restoration.data
              ? `95 % of it within ${decimal(restoration.data.departure, 1)} ΔE of the original.`
              : "Being measured."
          }`
        : `${decimal(face.eyes, 0)} px between the eyes.`;
  return (
    <Stack
      direction="row"
      spacing={1}
      role="group"
      aria-label={`Face ${number}`}
      sx={{ flex: "1 0 330px", maxWidth: "min(100%, 480px)", alignItems: "flex-start" }}
    >
      {plan && part && (
        <Stack direction="row" spacing={0.25}>
          <CloseUp
            address={crop(plan.unrestored ?? plan.treatment)}
            words={plan.unrestored && restored != null ? `Face ${number} without restoring` : `Face ${number}`}
            onClick={props.onGo}
          />
          {restored != null && (
            <CloseUp address={crop(plan.treatment)} words={`Face ${number} restored`} onClick={props.onGo} />
          )}
        </Stack>
      )}
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <Stack direction="row" sx={{ alignItems: "center" }}>
          <FormControlLabel
            control={
              <Switch
                size="small"
                checked={(own?.on ?? true) && !left}
                disabled={left != null || !intent.faces}
                onChange={(_, on) => props.onChange(props.changed({ on }))}
              />
            }
            label={<Typography variant="subtitle2">Face {number}</Typography>}
            sx={{ mr: 0, ml: -1 }}
          />
          <Box sx={{ flex: 1 }} />
          <Tooltip title="This is no face, or none to care about">
            <IconButton aria-label={`Face ${number} is no face`} onClick={props.onRemove}>
              <DeleteOutlineIcon fontSize="small" />
            </IconButton>
          </Tooltip>
        </Stack>
        <Typography variant="caption" sx={{ color: left ? "text.secondary" : "measured", display: "block" }}>
          {words}
        </Typography>
        {restored != null && !left && (
          <Dial
            label="Strength"
            fullName={`Strength of face ${number}`}
            effect="The share of this face's restoring; a double click lets it follow the strength of all of them."
            value={strength}
            format={percent}
            suggested={common}
            onChange={(value) => props.onChange(props.changed(withStrength(value)))}
            blend={(value) => ({ own_faces: props.changed(withStrength(value)) })}
          />
        )}
      </Box>
    </Stack>
  );
}

function CloseUp(props: { address?: string | null; words: string; onClick: () => void }) {
  if (!props.address) return null;
  return (
    <Tooltip title={`${props.words}; a click goes there`}>
      <Box
        component="button"
        onClick={props.onClick}
        sx={{ p: 0, border: 1, borderColor: "divider", bgcolor: STAGE_GROUND, cursor: "pointer", lineHeight: 0 }}
      >
        <Box
          component="img"
          src={props.address}
          alt={props.words}
          sx={{ width: 76, height: 95, objectFit: "cover", display: "block" }}
        />
      </Box>
    </Tooltip>
  );
}
