/** What a pane shows: a button that opens the choice; above it, how much is still to come. */

import { Box, Typography } from "@mui/material";
import { visuallyHidden } from "@mui/utils";
import type { ReactNode } from "react";
import { type Layout, cells } from "../stage/layout";

export interface PaneLabel {
  name: string;
  /** A figure or a remark beneath the name. */
  detail?: string;
  /** Opens the choice of what the pane shows. */
  onChoose: (anchor: HTMLElement) => void;
}

export function PaneName(props: {
  pane: number;
  layout: Layout;
  /** Whether the curtain lies across. */
  across: boolean;
  label: PaneLabel;
  detail?: string;
  share: number;
}): ReactNode {
  const { pane, layout, label, share } = props;
  const cell = cells(layout, { width: 6, height: 6 })[pane] ?? { left: 0, top: 0, width: 6, height: 6 };
  const right = layout === "curtain" && pane === 1;
  const below = right && props.across;
  const percent = (part: number) => `${(part / 6) * 100}%`;
  return (
    <Box
      sx={{
        position: "absolute",
        left: percent(cell.left),
        ...(below ? { bottom: 0 } : { top: percent(cell.top) }),
        width: percent(cell.width),
        pointerEvents: "none",
        display: "flex",
        justifyContent: right ? "flex-end" : "flex-start",
        p: 1.5,
      }}
    >
      {share < 1 && (
        <Box
          role="progressbar"
          aria-label={label.name}
          aria-valuenow={Math.round(share * 100)}
          sx={{ position: "absolute", left: 0, top: 0, right: 0, height: 3 }}
        >
          <Box sx={{ height: "100%", bgcolor: "primary.main" }} style={{ width: `${share * 100}%` }} />
        </Box>
      )}
      <Box
        component="button"
        aria-haspopup="menu"
        data-testid={`pane-${pane + 1}`}
        onClick={(e: { currentTarget: HTMLElement }) => label.onChoose(e.currentTarget)}
        sx={{
          pointerEvents: "auto",
          cursor: "pointer",
          font: "inherit",
          color: "text.primary",
          px: 1,
          py: 0.25,
          maxWidth: layout === "curtain" ? "45%" : "100%",
          bgcolor: "background.paper",
          border: 1,
          borderColor: "divider",
          textAlign: right ? "right" : "left",
        }}
      >
        <Typography variant="caption" sx={{ fontWeight: "fontWeightBold", display: "flex" }}>
          <Box component="span" sx={visuallyHidden}>
            Pane {pane + 1} shows{" "}
          </Box>
          <Box
            component="span"
            sx={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap", minWidth: 0 }}
          >
            {label.name}
          </Box>
          <Box component="span" aria-hidden sx={{ color: "primary.main", pl: 0.5 }}>
            ▾
          </Box>
        </Typography>
        {props.detail && (
          <Typography variant="caption" noWrap sx={{ color: "text.secondary", display: "block", lineHeight: 1.2 }}>
            {props.detail}
          </Typography>
        )}
      </Box>
    </Box>
  );
}
