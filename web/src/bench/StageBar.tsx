/** What is chosen about the view, out of the picture's way. */

import CloseFullscreenIcon from "@mui/icons-material/CloseFullscreen";
import OpenInFullIcon from "@mui/icons-material/OpenInFull";
import SwapHorizIcon from "@mui/icons-material/SwapHoriz";
import SwapVertIcon from "@mui/icons-material/SwapVert";
import {
  Box,
  Button,
  ButtonBase,
  IconButton,
  MenuItem,
  Select,
  Stack,
  ToggleButton,
  ToggleButtonGroup,
  Tooltip,
  Typography,
} from "@mui/material";
import type { ReactNode } from "react";
import type { Spot } from "../api/client";
import { decimal } from "../app/format";
import type { Layout } from "../stage/layout";
import { BY_FINGER, SHORT_WINDOW, SMALL_ICON } from "../look/tokens";
import { ViewMenu } from "./ViewMenu";
import type { ViewSettings } from "./viewSettings";

const LAYOUT_NAMES: Record<Layout, [name: string, effect: string]> = {
  curtain: ["Curtain", "Two candidates under a movable edge"],
  side: ["Side by side", "Two candidates next to each other, the same spot in both"],
  blink: ["Blink", "Two candidates in turn in the same place: what differs jumps"],
  four: ["4", "Four candidates at once"],
  six: ["6", "Six candidates at once"],
};

const ZOOMS = [0.25, 0.5, 1, 2, 4, 8] as const;

/** Its height in pixels. */
export const BAR_HEIGHT = 42;

/** Where it is as wide as this, in pixels, all of it has room: what counts is its own width, which an open panel takes from it. */
const ROOMY = 1100;

export function StageBar(props: {
  layout: Layout;
  onLayout: (layout: Layout) => void;
  timed: boolean;
  onTimed: (timed: boolean) => void;
  onTurn: () => void;
  /** The choice of the zoom. */
  zoom: ReactNode;
  spots: Spot[];
  onSpot: (index: number) => void;
  spotsMenu: (anchor: HTMLElement) => void;
  map: boolean;
  onMap: (shown: boolean) => void;
  onRehearse: () => void;
  onTones: () => void;
  /** Whether the curtain lies across. */
  across: boolean;
  onAcross: (across: boolean) => void;
  /** Whether the stage is alone on the screen. */
  full: boolean;
  onFull: () => void;
  navigator: boolean;
  onNavigator: (shown: boolean) => void;
  settings: ViewSettings;
  onSettings: (change: Partial<ViewSettings>) => void;
  readout?: string;
  /** Whether controls lie open below, which go first where there is little room. */
  givesWay: boolean;
}) {
  const { layout, onLayout } = props;
  return (
    <Box
      className="steps-back"
      sx={{
        height: BAR_HEIGHT,
        [SHORT_WINDOW]: props.givesWay ? { display: "none" } : {},
        flexShrink: 0,
        containerType: "inline-size",
        bgcolor: "background.default",
        borderTop: 1,
        borderColor: "divider",
      }}
    >
      <Stack
        direction="row"
        role="toolbar"
        aria-label="View"
        sx={(t) => ({
          height: 1,
          gap: 0.5,
          px: 1,
          [t.containerQueries.down(ROOMY)]: { "& .MuiButton-root": { minWidth: 0 } },
          [t.containerQueries.up(ROOMY)]: { gap: 1.5, px: 2 },
          alignItems: "center",
          // On a narrow screen, or magnified, what does not fit is reached by scrolling and by Tab.
          overflowX: "auto",
          scrollbarWidth: "none",
          "& > *": { flexShrink: 0 },
        })}
      >
        <ToggleButtonGroup
          exclusive
          value={layout}
          aria-label="Comparison"
          onChange={(_, value: Layout | null) => value && onLayout(value)}
        >
          {Object.entries(LAYOUT_NAMES).map(([value, [name, effect]]) => (
            <ToggleButton
              key={value}
              value={value}
              title={effect}
              aria-label={name.length > 1 ? name : `${name} candidates`}
              sx={{ whiteSpace: "nowrap" }}
            >
              {name}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        {layout === "blink" && (
          <>
            <Button onClick={props.onTurn} sx={{ whiteSpace: "nowrap" }}>
              Swap
            </Button>
            <ToggleButton
              value="timed"
              selected={props.timed}
              onChange={() => props.onTimed(!props.timed)}
              sx={{ whiteSpace: "nowrap" }}
            >
              every {decimal(props.settings.blinkMs / 1000, 1)} s
            </ToggleButton>
          </>
        )}
        {layout === "curtain" && (
          <Tooltip title="The curtain upright, or lying across">
            <ToggleButton
              value="across"
              aria-label="Curtain lies across"
              selected={props.across}
              onChange={() => props.onAcross(!props.across)}
            >
              {props.across ? <SwapVertIcon sx={SMALL_ICON} /> : <SwapHorizIcon sx={SMALL_ICON} />}
            </ToggleButton>
          </Tooltip>
        )}
        {props.zoom}
        <SpotKeys {...props} />
        <Tooltip title="Where the result, brought back to the original's size, departs from it: dim where it agrees, amber where it can be seen, white where it is plain">
          <ToggleButton
            value="map"
            selected={props.map}
            onChange={() => props.onMap(!props.map)}
            sx={{ whiteSpace: "nowrap" }}
          >
            Departure map
          </ToggleButton>
        </Tooltip>
        <Tooltip title="The picture shrunk and enlarged again by every method: which comes nearest to it">
          <Button color="inherit" onClick={props.onRehearse}>
            Rehearse
          </Button>
        </Tooltip>
        <Typography
          variant="caption"
          noWrap
          data-testid="readout"
          sx={(t) => ({
            flex: 1,
            minWidth: 0,
            flexShrink: "1 !important",
            color: "measured",
            textAlign: "right",
            // A letter or two of it tell nothing.
            [t.containerQueries.down(900)]: { visibility: "hidden" },
          })}
        >
          {props.readout}
        </Typography>
        <AlwaysInReach>
          <Tooltip title="The stage alone on the screen">
            <IconButton
              aria-label={props.full ? "With everything around the stage" : "The stage alone"}
              aria-pressed={props.full}
              onClick={props.onFull}
            >
              {props.full ? <CloseFullscreenIcon sx={SMALL_ICON} /> : <OpenInFullIcon sx={SMALL_ICON} />}
            </IconButton>
          </Tooltip>
          <ViewMenu {...props} />
        </AlwaysInReach>
      </Stack>
    </Box>
  );
}

/** In reach however far the rest of the bar is scrolled. */
function AlwaysInReach(props: { children: ReactNode }) {
  return (
    <Stack
      direction="row"
      sx={(t) => ({
        position: "sticky",
        // Over the bar's own margin too, where what is scrolled would show.
        right: t.spacing(-1),
        pr: 1,
        height: 1,
        alignItems: "center",
        bgcolor: "background.default",
        // Where the rest is scrolled, it goes on under this.
        borderLeft: `1px solid ${t.palette.divider}`,
        [t.containerQueries.up(ROOMY)]: { right: t.spacing(-2), pr: 2, borderLeftWidth: 0 },
      })}
    >
      {props.children}
    </Stack>
  );
}

export function ZoomChoice(props: {
  zoom: number;
  /** Zooms with a meaning of their own. */
  zooms: { name: string; zoom: number }[];
  onFit: () => void;
  onZoom: (zoom: number) => void;
}) {
  const percent = `${Math.round(props.zoom * 100)} %`;
  return (
    <Stack direction="row" sx={{ alignItems: "center" }}>
      <Button color="inherit" aria-label="Whole picture" onClick={props.onFit}>
        Whole
      </Button>
      <Button color="inherit" aria-label="100 per cent" onClick={() => props.onZoom(1)} sx={{ minWidth: 44 }}>
        100
      </Button>
      <Tooltip title="Closer or further, in pixels of the print">
        <Select
          value=""
          displayEmpty
          variant="standard"
          disableUnderline
          inputProps={{ "aria-label": `Zoom, ${percent} of the print's pixels` }}
          renderValue={() => percent}
          onChange={(e) => props.onZoom(Number(e.target.value))}
          sx={{ typography: "body2", color: "measured", minWidth: 76, pl: 1 }}
        >
          {ZOOMS.map((zoom) => (
            <MenuItem key={zoom} value={zoom}>
              {zoom * 100} %
            </MenuItem>
          ))}
          {props.zooms.map(({ name, zoom }) => (
            <MenuItem key={name} value={zoom}>
              {name}
            </MenuItem>
          ))}
          {props.zooms.length === 0 && (
            <MenuItem disabled value="none">
              as on paper: a print size and the screen&apos;s measure (View) are needed
            </MenuItem>
          )}
        </Select>
      </Tooltip>
    </Stack>
  );
}

function SpotKeys(props: { spots: Spot[]; onSpot: (index: number) => void; spotsMenu: (anchor: HTMLElement) => void }) {
  return (
    <Stack direction="row" role="group" aria-label="Spots" sx={{ alignItems: "center" }}>
      <Tooltip title="The places to check: pin, name, remove">
        <Button color="inherit" aria-haspopup="dialog" onClick={(e) => props.spotsMenu(e.currentTarget)}>
          Spots
        </Button>
      </Tooltip>
      {props.spots.map((spot, i) => (
        <Tooltip key={i} title={spot.name}>
          <ButtonBase
            aria-label={`Spot ${i + 1}: ${spot.name}`}
            onClick={() => props.onSpot(i)}
            sx={{
              width: 22,
              height: 24,
              typography: "subtitle2",
              color: "primary.main",
              [BY_FINGER]: { width: 32, height: 36 },
            }}
          >
            {i + 1}
          </ButtonBase>
        </Tooltip>
      ))}
    </Stack>
  );
}
