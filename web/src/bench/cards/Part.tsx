/** What cards are made of: columns, parts that can be off, and reasons. */

import { Box, FormControlLabel, Stack, Switch, Typography } from "@mui/material";
import type { ReactNode } from "react";

/** A column of a card; `grow` is its share of what room is left. */
export function Column(props: { width: number; grow?: number; children: ReactNode }) {
  return (
    <Stack
      spacing={1}
      sx={{
        flex: `${props.grow ?? 0} 1 ${props.width}px`,
        minWidth: 0,
        // What lies below each other is as high as it is.
        "&& > *": { flex: "none" },
      }}
    >
      {props.children}
    </Stack>
  );
}

export function Part(props: {
  name: string;
  on: boolean;
  /** Why it cannot be switched on, if it cannot. */
  unavailable?: string;
  onSwitch: (on: boolean) => void;
  /** How many controls lie side by side; 1 when not given. */
  columns?: number;
  children: ReactNode;
  /** What is said below the controls while it is on. */
  note?: ReactNode;
}) {
  const { columns = 1 } = props;
  return (
    <Box sx={{ flex: props.on ? `${columns} 1 ${columns * 150}px` : "0 0 auto", minWidth: 0 }}>
      <FormControlLabel
        className="steps-back"
        control={
          <Switch
            size="small"
            checked={props.on}
            disabled={!props.on && props.unavailable !== undefined}
            onChange={(_, on) => props.onSwitch(on)}
          />
        }
        label={
          <Typography variant="subtitle2" noWrap>
            {props.name}
          </Typography>
        }
        sx={{ ml: -1, mr: 0, mb: 0.25 }}
      />
      {!props.on && props.unavailable && (
        <Typography variant="caption" sx={{ color: "text.secondary", display: "block" }}>
          {props.unavailable}
        </Typography>
      )}
      {props.on && (
        <>
          <Box
            sx={{
              display: "grid",
              gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))`,
              columnGap: 2.5,
              rowGap: 0.25,
            }}
          >
            {props.children}
          </Box>
          <Box className="steps-back">{props.note}</Box>
        </>
      )}
    </Box>
  );
}

/** Why a step is suggested as it is, each reason a line. */
export function Reasons({ texts, children }: { texts: string[]; children?: ReactNode }) {
  if (texts.length === 0 && !children) return null;
  return (
    <Box className="steps-back" sx={{ flex: "1.4 1 220px", minWidth: 0 }}>
      {texts.length > 0 && (
        <Box component="ul" sx={{ m: 0, pl: 2, pt: 0.5 }}>
          {texts.map((text) => (
            <Typography
              key={text}
              component="li"
              variant="caption"
              sx={{ color: "measured", lineHeight: 1.35, mb: 0.5 }}
            >
              {text}
            </Typography>
          ))}
        </Box>
      )}
      {children}
    </Box>
  );
}
