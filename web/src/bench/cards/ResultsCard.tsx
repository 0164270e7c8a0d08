/** What was made of the picture, the latest first. */

import { Box, Stack, Typography } from "@mui/material";
import type { Enlargement } from "../../api/client";
import { bytes } from "../../app/format";
import { Record } from "../Record";
import { Card } from "./Card";

export function ResultsCard({ results }: { results: Enlargement[] }) {
  const state = results.length === 0 ? "none yet" : `${results.length}, latest ${bytes(results[0]?.bytes ?? 0)}`;
  return (
    <Card name="Results" state={state}>
      {results.length === 0 ? (
        <Typography variant="body2" sx={{ width: 260 }}>
          Nothing was made of this picture yet. Run makes the file; it then appears here.
        </Typography>
      ) : (
        <Stack
          spacing={2}
          divider={<Box sx={{ borderTop: 1, borderColor: "divider" }} />}
          sx={{ width: 388, maxHeight: 420, overflowY: "auto" }}
        >
          {results.map((result) => (
            <Record key={result.id} result={result} />
          ))}
        </Stack>
      )}
    </Card>
  );
}
