/** A part of the settings, with its title and what it is about. */

import { Box, Stack, Typography } from "@mui/material";

export function Panel(props: { title: string; about: string; children: React.ReactNode }) {
  return (
    <Stack
      component="section"
      aria-label={props.title}
      spacing={1.5}
      sx={{ p: 2, bgcolor: "background.paper", border: 1, borderColor: "divider" }}
    >
      <Box>
        <Typography variant="h2" component="h3">
          {props.title}
        </Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {props.about}
        </Typography>
      </Box>
      {props.children}
    </Stack>
  );
}
