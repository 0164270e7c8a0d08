/** What makes the picture larger. */

import { Box, MenuItem, TextField, Typography } from "@mui/material";
import type { Card as ModelCard, Choice, Kernel, Model, Original, Plan, Suggestion } from "../../api/client";
import { family } from "../../shelf/measures";
import { rules } from "../../api/rules";
import { Card } from "./Card";
import { evidence } from "./evidence";
import { Dial } from "./Dial";
import { Column, Reasons } from "./Part";
import { Shapes } from "./Shapes";

/** A subject's models of one grade, whatever their factors; a person's own has no grade. */
function familyName(card: ModelCard): string {
  return card.trial ? card.name : `${family(card)}, ${card.grade}`;
}

/** How the choice of shapes is told from a subject's models in the list. */
const TRACED = "traced";

function valueOf(choice: Choice): string {
  if (choice.by === "traced") return TRACED;
  return choice.by === "plain" ? `plain ${choice.kernel}` : `${choice.subject} ${choice.grade}`;
}

export function EnlargeCard(props: {
  choice: Choice;
  /** The step in a few words. */
  words: string;
  models: Model[];
  plan?: Plan;
  suggestion?: Suggestion;
  onChange: (choice: Choice) => void;
  original: Original;
  /** The treatment of the whole picture; nothing where this is about an area, or it is not known yet. */
  asked?: string;
}) {
  const { choice, onChange } = props;
  const models = props.models.filter((m) => m.card.kind === "enlarge");
  const families = [...new Map(models.map((m) => [`${m.card.subject} ${m.card.grade}`, m.card])).values()];
  const choose = (text: string) => {
    if (text === TRACED) return onChange({ by: "traced" });
    const [subject = "", rest = ""] = text.split(" ");
    const strength = choice.by === "learned" ? choice.strength : 1;
    onChange(
      subject === "plain"
        ? { by: "plain", kernel: rest as Kernel }
        : { by: "learned", subject, grade: rest as "draft" | "fine", strength },
    );
  };
  const used = models.filter(
    (m) => choice.by === "learned" && m.card.subject === choice.subject && m.card.grade === choice.grade,
  );
  const suggested = props.suggestion?.recipe.enlarge;
  return (
    <Card name="Enlarge" state={props.words}>
      <>
        <Column width={260}>
          <TextField select label="Enlarge with" value={valueOf(choice)} onChange={(e) => choose(e.target.value)}>
            {families.map((card) => (
              <MenuItem key={`${card.subject} ${card.grade}`} value={`${card.subject} ${card.grade}`}>
                {familyName(card)}
              </MenuItem>
            ))}
            {rules().kernels.map(({ kernel, name }) => (
              <MenuItem key={kernel} value={`plain ${kernel}`}>
                {name}, no model
              </MenuItem>
            ))}
            <MenuItem value={TRACED}>Traced as shapes</MenuItem>
          </TextField>
          {choice.by === "learned" && (
            <Dial
              label="Strength"
              effect="The share of what the model made; the rest is the same picture by Lanczos 3. Lower it where detail looks invented."
              value={choice.strength ?? 1}
              format={(v) => `${Math.round(v * 100)} %`}
              suggested={suggested?.by === "learned" ? (suggested.strength ?? 1) : undefined}
              onChange={(strength) => onChange({ ...choice, strength })}
              blend={(strength) => ({ enlarge: { ...choice, strength } })}
            />
          )}
        </Column>
        {choice.by === "traced" && props.asked && (
          <Shapes original={props.original} asked={props.asked} choice={choice} onChange={onChange} />
        )}
        <Column width={300} grow={1}>
          {props.plan && <Typography variant="body2">{props.plan.description}</Typography>}
          {used.map((model) => (
            <Box key={model.card.id}>
              <Typography variant="subtitle2">{model.title}</Typography>
              <Typography variant="body2" sx={{ color: "measured" }}>
                {evidence(model)}
              </Typography>
            </Box>
          ))}
          {used[0] && (
            <Typography variant="caption" sx={{ color: "text.secondary" }}>
              {used[0].card.purpose}
              {used[0].card.weaknesses.length > 0 && ` Known weaknesses: ${used[0].card.weaknesses.join(". ")}.`}
            </Typography>
          )}
        </Column>
        <Reasons texts={props.suggestion?.reasons.filter((r) => r.step === "enlarge").map((r) => r.text) ?? []} />
      </>
    </Card>
  );
}
