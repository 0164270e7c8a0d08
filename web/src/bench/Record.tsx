/** A finished result: its file, and what was done. */

import DownloadIcon from "@mui/icons-material/Download";
import { Box, Button, Typography } from "@mui/material";
import type { Enlargement } from "../api/client";
import { isFinished } from "../api/rules";
import { bytes, decimal, duration, pixels } from "../app/format";

export function Record({ result }: { result: Enlargement }) {
  const { record } = result;
  const { settings } = record;
  const kind =
    settings.format === "jpeg"
      ? `JPEG, quality ${settings.quality}`
      : `${settings.format.toUpperCase()}, ${settings.depth} bits`;
  const ppi = settings.ppi ? `, ${decimal(settings.ppi)} ppi` : "";
  const colours = isFinished(settings.format) ? `${ppi}, ${record.profile ?? "no profile"}` : ", the camera's colours";
  return (
    <Box data-testid="result">
      <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
        <Typography variant="subtitle2" noWrap sx={{ flex: 1 }} title={result.file_name}>
          {result.file_name}
        </Typography>
        <Button
          component="a"
          href={`/api/v1/enlargements/${result.id}/file`}
          download={result.file_name}
          startIcon={<DownloadIcon />}
        >
          {bytes(result.bytes)}
        </Button>
      </Box>
      <Typography variant="body2">{record.treatment}</Typography>
      <Typography variant="caption" sx={{ color: "text.secondary", display: "block" }}>
        {kind}
        {colours}; from {pixels(record.original_size)}; took {duration(record.seconds)} on{" "}
        {new Date(result.created_at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" })}
        {record.device && record.device !== "cpu" && `; computed by ${record.device}`}
      </Typography>
    </Box>
  );
}
