/** A finished result: its file, and what was done. */

import DownloadIcon from "@mui/icons-material/Download";
import { Box, Button, Typography } from "@mui/material";
import type { Enlargement, TracedFiles } from "../api/client";
import { isFinished } from "../api/rules";
import { bytes, counted, decimal, duration, pixels } from "../app/format";

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
      {record.drawing && <Drawn id={result.id} drawing={record.drawing} />}
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

/** The shapes that a traced result was drawn from, as files. */
function Drawn({ id, drawing }: { id: number; drawing: TracedFiles }) {
  const files = [
    { ending: "svg", size: drawing.svg_bytes },
    { ending: "pdf", size: drawing.pdf_bytes },
  ];
  return (
    <Box data-testid="drawing" sx={{ display: "flex", alignItems: "center", gap: 1 }}>
      <Typography variant="body2" sx={{ flex: 1 }}>
        As a drawing: {counted(drawing.outlines, "outline")}, {counted(drawing.nodes, "node")}
      </Typography>
      {files.map(({ ending, size }) => (
        <Button key={ending} component="a" href={`/api/v1/enlargements/${id}/drawing/${ending}`} download>
          {ending.toUpperCase()} {bytes(size)}
        </Button>
      ))}
    </Box>
  );
}
