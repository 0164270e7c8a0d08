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
  Popover,
  Select,
  Slider,
  Stack,
  ToggleButton,
  ToggleButtonGroup,
  Tooltip,
  Typography,
} from "@mui/material";
import { type ReactNode, useState } from "react";
import type { Spot } from "../api/client";
import { decimal } from "../app/format";
import { useKept } from "../app/kept";
import { SHORT_WINDOW } from "../app/theme";
import type { Layout } from "../stage/layout";
import { Figure } from "./TargetFields";
import { screenPpi } from "./screen";

export const GROUNDS = [
  { shade: "#777777", name: "middle grey" },
  { shade: "#2E2E2E", name: "dark grey" },
  { shade: "#BDBDBD", name: "light grey" },
  { shade: "#FFFFFF", name: "white" },
] as const;

const ZOOMS = [0.25, 0.5, 1, 2, 4, 8] as const;

const LAYOUT_NAMES: Record<Layout, [name: string, effect: string]> = {
  curtain: ["Curtain", "Two candidates under a movable edge"],
  side: ["Side by side", "Two candidates next to each other, the same spot in both"],
  blink: ["Blink", "Two candidates in turn in the same place: what differs jumps"],
  four: ["4", "Four candidates at once"],
  six: ["6", "Six candidates at once"],
};

/** How this person's screen shows things. */
export interface ViewSettings {
  smooth: boolean;
  ground: string;
  blinkMs: number;
  /** CSS pixels per inch of the screen; nothing until it was measured. */
  screenPpi?: number;
  /** From how far the person looks at the screen, in metres. */
  eyeM: number;
}

const USUAL: ViewSettings = { smooth: false, ground: GROUNDS[0].shade, blinkMs: 700, eyeM: 0.6 };

export function useViewSettings(): [ViewSettings, (change: Partial<ViewSettings>) => void] {
  const [kept, keep] = useKept<Partial<ViewSettings>>("view-settings", {});
  const settings = { ...USUAL, ...kept };
  return [settings, (change) => keep({ ...kept, ...change })];
}

export function StageBar(props: {
  layout: Layout;
  onLayout: (layout: Layout) => void;
  timed: boolean;
  onTimed: (timed: boolean) => void;
  onTurn: () => void;
  zoom: number;
  /** Zooms with a meaning of their own. */
  zooms: { name: string; zoom: number }[];
  onFit: () => void;
  onZoom: (zoom: number) => void;
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
    <Stack
      direction="row"
      spacing={{ xs: 0.5, lg: 1.5 }}
      role="toolbar"
      aria-label="View"
      className="steps-back"
      sx={{
        height: 42,
        px: { xs: 1, lg: 2 },
        [SHORT_WINDOW]: props.givesWay ? { display: "none" } : {},
        flexShrink: 0,
        alignItems: "center",
        bgcolor: "background.default",
        borderTop: 1,
        borderColor: "divider",
        // On a narrow screen, or magnified, what does not fit is reached by scrolling and by Tab.
        overflowX: "auto",
        scrollbarWidth: "none",
        "& > *": { flexShrink: 0 },
      }}
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
            {props.across ? <SwapVertIcon sx={{ fontSize: 18 }} /> : <SwapHorizIcon sx={{ fontSize: 18 }} />}
          </ToggleButton>
        </Tooltip>
      )}
      <ZoomChoice {...props} />
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
        sx={{ flex: 1, minWidth: 0, flexShrink: "1 !important", color: "measured", textAlign: "right" }}
      >
        {props.readout}
      </Typography>
      <Tooltip title="The stage alone on the screen">
        <IconButton
          aria-label={props.full ? "With everything around the stage" : "The stage alone"}
          aria-pressed={props.full}
          onClick={props.onFull}
        >
          {props.full ? <CloseFullscreenIcon sx={{ fontSize: 18 }} /> : <OpenInFullIcon sx={{ fontSize: 18 }} />}
        </IconButton>
      </Tooltip>
      <ViewMenu {...props} />
    </Stack>
  );
}

function ZoomChoice(props: {
  zoom: number;
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
          sx={{ fontSize: 14, color: "measured", minWidth: 76, pl: 1 }}
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
            sx={{ width: 22, height: 24, fontWeight: 600, fontSize: 14, color: "primary.main" }}
          >
            {i + 1}
          </ButtonBase>
        </Tooltip>
      ))}
    </Stack>
  );
}

function ViewMenu(props: {
  onTones: () => void;
  navigator: boolean;
  onNavigator: (shown: boolean) => void;
  settings: ViewSettings;
  onSettings: (change: Partial<ViewSettings>) => void;
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const { settings, onSettings } = props;
  return (
    <>
      <Button
        color="inherit"
        aria-haspopup="dialog"
        aria-expanded={anchor !== null}
        onClick={(e) => setAnchor(e.currentTarget)}
      >
        View
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "top", horizontal: "right" }}
        transformOrigin={{ vertical: "bottom", horizontal: "right" }}
        slotProps={{ paper: { role: "dialog", "aria-label": "View" } as object, backdrop: { invisible: true } }}
      >
        <Stack spacing={2} sx={{ width: 360 }}>
          <Row name="Ground">
            <Stack direction="row" spacing={0.5} role="group" aria-label="Ground">
              {GROUNDS.map(({ shade, name }) => (
                <ButtonBase
                  key={shade}
                  aria-label={`Ground: ${name}`}
                  aria-pressed={settings.ground === shade}
                  onClick={() => onSettings({ ground: shade })}
                  sx={{
                    width: 24,
                    height: 24,
                    bgcolor: shade,
                    border: "1px solid",
                    borderColor: settings.ground === shade ? "primary.main" : "divider",
                    outline: settings.ground === shade ? "1px solid" : "none",
                    outlineColor: "primary.main",
                  }}
                />
              ))}
            </Stack>
          </Row>
          <Row name="Above 100 %">
            <ToggleButtonGroup
              exclusive
              value={settings.smooth}
              aria-label="How pixels are magnified"
              onChange={(_, smooth: boolean | null) => smooth !== null && onSettings({ smooth })}
            >
              <ToggleButton value={false}>pixels as squares</ToggleButton>
              <ToggleButton value={true}>smoothed (bilinear)</ToggleButton>
            </ToggleButtonGroup>
          </Row>
          <Row name="Blink every">
            <Slider
              size="small"
              aria-label="Time between two blinks"
              value={settings.blinkMs}
              min={200}
              max={2000}
              step={100}
              valueLabelDisplay="auto"
              valueLabelFormat={(ms) => `${decimal(ms / 1000, 1)} s`}
              onChange={(_, ms) => onSettings({ blinkMs: ms as number })}
            />
          </Row>
          <Row name="Tones">
            <Button
              variant="outlined"
              onClick={() => {
                setAnchor(null);
                props.onTones();
              }}
            >
              Show how they are spread (H)
            </Button>
          </Row>
          <Row name="Navigator">
            <ToggleButton
              value="navigator"
              selected={props.navigator}
              onChange={() => props.onNavigator(!props.navigator)}
            >
              {props.navigator ? "shown" : "put away"}
            </ToggleButton>
          </Row>
          <ScreenMeasure settings={settings} onSettings={onSettings} />
        </Stack>
      </Popover>
    </>
  );
}

function Row({ name, children }: { name: string; children: ReactNode }) {
  return (
    <Stack direction="row" spacing={2} sx={{ alignItems: "center" }}>
      <Typography variant="body2" sx={{ width: 104, flexShrink: 0, color: "text.secondary" }}>
        {name}
      </Typography>
      <Box sx={{ flex: 1, minWidth: 0 }}>{children}</Box>
    </Stack>
  );
}

const SHORTEST_CARD = 200;
const LONGEST_CARD = 360;

/** A bank card is held against the screen: its length tells the screen's resolution. */
function ScreenMeasure(props: { settings: ViewSettings; onSettings: (change: Partial<ViewSettings>) => void }) {
  const { settings, onSettings } = props;
  const [card, setCard] = useState(((settings.screenPpi ?? 96) / 25.4) * 85.6);
  return (
    <Stack spacing={1}>
      <Typography variant="body2">
        Hold a bank card against the bar and make the bar as long: the zoom then offers &quot;as on paper&quot;.
      </Typography>
      <Box sx={{ width: card, maxWidth: "100%", height: 16, bgcolor: "primary.main" }} />
      <Slider
        size="small"
        aria-label="Length of a bank card on this screen"
        value={card}
        min={SHORTEST_CARD}
        max={LONGEST_CARD}
        step={0.5}
        onChange={(_, length) => {
          setCard(length as number);
          onSettings({ screenPpi: screenPpi(length as number) });
        }}
      />
      <Typography variant="caption" sx={{ color: "measured" }}>
        {settings.screenPpi ? `This screen: ${decimal(settings.screenPpi, 0)} px per inch` : "Not measured yet"}
      </Typography>
      <Figure
        label="Your eyes are from the screen"
        unit="m"
        value={settings.eyeM}
        onChange={(eyeM) => onSettings({ eyeM })}
      />
    </Stack>
  );
}
