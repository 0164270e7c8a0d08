/** Where the time of a run goes, as a bar. */

import { Box, Stack, Typography } from "@mui/material";
import type { Plan } from "../../api/client";
import { duration } from "../../app/format";

/** From the first part to the last, each a little lighter. */
const shade = (i: number, count: number) => 1 - (0.75 * i) / Math.max(1, count);

export function TimeBar({ spent }: { spent: Plan["spent"] }) {
  const all = spent.reduce((sum, part) => sum + part.seconds, 0);
  return (
    <Box>
      <Typography variant="body2" sx={{ mb: 0.5 }}>
        Where the time goes, {duration(all)} in all
      </Typography>
      <Box aria-hidden sx={{ display: "flex", height: 10, gap: "2px" }}>
        {spent.map(({ on, seconds }, i) => (
          <Box key={on} sx={{ flex: `${seconds / all} 0 2px`, bgcolor: "measured", opacity: shade(i, spent.length) }} />
        ))}
      </Box>
      <Box component="ul" sx={{ listStyle: "none", m: 0, mt: 0.5, p: 0 }}>
        {spent.map(({ on, seconds }, i) => (
          <Stack key={on} component="li" direction="row" spacing={1} sx={{ alignItems: "center" }}>
            <Box aria-hidden sx={{ width: 8, height: 8, bgcolor: "measured", opacity: shade(i, spent.length) }} />
            <Typography variant="caption" noWrap sx={{ flex: 1 }}>
              {on}
            </Typography>
            <Typography variant="caption" sx={{ color: "text.secondary" }}>
              {duration(seconds)}
            </Typography>
          </Stack>
        ))}
      </Box>
    </Box>
  );
}
