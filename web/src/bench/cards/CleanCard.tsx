/** What is taken out before enlarging: compression marks, noise, softness. */

import { Typography } from "@mui/material";
import type { Clean, Model, Plan, Reading, Suggestion } from "../../api/client";
import { duration } from "../../app/format";
import { Card } from "./Card";
import { MarksPart, NoisePart, type PartProps, SoftnessPart } from "./CleanParts";
import { Reasons } from "./Part";

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
  const { clean, models, reading } = props;
  const parts: PartProps = {
    clean,
    models,
    measured: reading?.reading,
    suggested: props.suggestion?.recipe.clean,
    usual: props.suggestion?.usual,
    onChange: props.onChange,
  };

  return (
    <Card name="Clean" state={props.words}>
      <>
        <NoisePart {...parts} />
        <MarksPart {...parts} />
        <SoftnessPart {...parts} />
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
