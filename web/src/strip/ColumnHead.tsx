/** What stands over a column of the strip: which treatment it is, and the choice of it. */

import { Box, Button, ButtonBase, Stack, Typography } from "@mui/material";

export function ColumnHead(props: {
  name: string;
  words: string;
  now: boolean;
  won: boolean;
  busy: boolean;
  onTurnTo?: () => void;
  onChoose?: () => void;
}) {
  return (
    <Box
      role="columnheader"
      sx={{
        position: "sticky",
        top: 0,
        zIndex: 1,
        bgcolor: "background.default",
        borderBottom: 2,
        borderColor: props.now || props.won ? "primary.main" : "divider",
        py: 1,
        minWidth: 0,
      }}
    >
      <Stack direction="row" sx={{ alignItems: "center" }}>
        <ButtonBase
          disabled={!props.onTurnTo}
          onClick={props.onTurnTo}
          title={props.onTurnTo && "Put it on the rail below, to change it"}
          sx={{ font: "inherit", typography: "subtitle2", color: props.now ? "primary.main" : "text.primary" }}
        >
          {props.name}
          {props.won ? ", chosen" : ""}
        </ButtonBase>
        <Box sx={{ flex: 1 }} />
        {props.onChoose && (
          <Button disabled={props.busy} onClick={props.onChoose} aria-label={`Choose ${props.name}`}>
            Choose
          </Button>
        )}
      </Stack>
      <Typography variant="caption" noWrap title={props.words} sx={{ display: "block", color: "text.secondary" }}>
        {props.words || "\u00a0"}
      </Typography>
    </Box>
  );
}
