/** What was made of the picture, the latest first. */

import { Box, Typography } from "@mui/material";
import type { Enlargement } from "../../api/client";
import { counted } from "../../app/format";
import { Record } from "../Record";
import { Card } from "./Card";

export function ResultsCard({ results }: { results: Enlargement[] }) {
  const state = results.length === 0 ? "none yet" : counted(results.length, "file");
  return (
    <Card name="Results" state={state}>
      {results.length === 0 ? (
        <Typography variant="body2">
          Nothing was made of this picture yet. Run makes the file; it then appears here.
        </Typography>
      ) : (
        <Box sx={{ flex: 1, display: "grid", gap: 2, gridTemplateColumns: "repeat(auto-fill, minmax(300px, 1fr))" }}>
          {results.map((result) => (
            <Record key={result.id} result={result} />
          ))}
        </Box>
      )}
    </Card>
  );
}
