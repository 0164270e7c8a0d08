/** What is where on the bench, in a row: shown on the first visit, and again when it is called for. */

import { Box, Button, Typography } from "@mui/material";

const SAYS = [
  "The print is a sentence: what is underlined can be changed.",
  "Left of the curtain is the original, right of it the print, pixel for pixel. Drag it; the wheel goes closer.",
  "The steps below stand as this picture suggests. A click opens one; Run makes the file.",
];

export function Guide({ onClose }: { onClose: () => void }) {
  return (
    <Box
      role="region"
      aria-label="What is where"
      className="steps-back"
      data-beside-stage
      sx={{
        display: "flex",
        alignItems: "center",
        gap: 2.5,
        px: 2,
        py: 0.5,
        flexShrink: 0,
        bgcolor: "background.default",
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      {SAYS.map((text, i) => (
        <Box key={text} sx={{ display: "flex", gap: 1, flex: "1 1 0", minWidth: 0 }}>
          <Typography aria-hidden sx={{ color: "primary.main", fontWeight: "fontWeightBold", lineHeight: 1.2 }}>
            {i + 1}
          </Typography>
          <Typography variant="caption" sx={{ lineHeight: 1.3 }}>
            {text}
          </Typography>
        </Box>
      ))}
      <Button onClick={onClose} sx={{ flexShrink: 0 }}>
        Understood
      </Button>
    </Box>
  );
}
