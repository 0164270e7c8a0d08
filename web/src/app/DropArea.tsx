/** Files may be dropped anywhere. */

import { Box, Typography } from "@mui/material";
import { type DragEvent, type ReactNode, useState } from "react";
import { droppedFiles } from "../bench/importing";

export function DropArea({ onFiles, children }: { onFiles: (files: File[]) => void; children: ReactNode }) {
  const [over, setOver] = useState(false);
  const hasFiles = (e: DragEvent) => e.dataTransfer.types.includes("Files");
  return (
    <Box
      sx={{ height: "100vh", display: "flex", flexDirection: "column", position: "relative" }}
      onDragOver={(e) => {
        if (!hasFiles(e)) return;
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={(e) => e.currentTarget.contains(e.relatedTarget as Node | null) || setOver(false)}
      onDrop={(e) => {
        if (!hasFiles(e)) return;
        e.preventDefault();
        setOver(false);
        void droppedFiles(e.dataTransfer).then(onFiles);
      }}
    >
      {children}
      {over && (
        <Box
          sx={{
            position: "absolute",
            inset: 8,
            zIndex: 2000,
            border: "2px dashed",
            borderColor: "primary.main",
            pointerEvents: "none",
            display: "grid",
            placeItems: "center",
          }}
        >
          <Typography
            variant="h1"
            component="p"
            sx={{ bgcolor: "background.paper", border: 1, borderColor: "divider", px: 3, py: 2 }}
          >
            Drop the pictures into this order
          </Typography>
        </Box>
      )}
    </Box>
  );
}
