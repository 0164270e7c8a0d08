/** A part of a step that can be off: a switch, and its controls while it is on. */

import { Box, FormControlLabel, Stack, Switch, Typography } from "@mui/material";
import type { ReactNode } from "react";

export function Part(props: {
  name: string;
  on: boolean;
  /** Why it cannot be switched on, if it cannot. */
  unavailable?: string;
  onSwitch: (on: boolean) => void;
  children: ReactNode;
}) {
  return (
    <Box>
      <FormControlLabel
        control={
          <Switch
            size="small"
            checked={props.on}
            disabled={!props.on && props.unavailable !== undefined}
            onChange={(_, on) => props.onSwitch(on)}
          />
        }
        label={
          <Typography variant="body2" sx={{ fontWeight: 600 }}>
            {props.name}
          </Typography>
        }
        sx={{ ml: -1 }}
      />
      {!props.on && props.unavailable && (
        <Typography variant="caption" sx={{ color: "text.secondary", display: "block" }}>
          {props.unavailable}
        </Typography>
      )}
      {props.on && (
        <Stack spacing={0.5} sx={{ pl: 3.5, pr: 0.5 }}>
          {props.children}
        </Stack>
      )}
    </Box>
  );
}

/** Why a step is suggested as it is, each reason a line. */
export function Reasons({ texts }: { texts: string[] }) {
  return (
    <Box component="ul" sx={{ m: 0, pl: 2 }}>
      {texts.map((text) => (
        <Typography key={text} component="li" variant="caption" sx={{ color: "measured" }}>
          {text}
        </Typography>
      ))}
    </Box>
  );
}
