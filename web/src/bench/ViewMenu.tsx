/** How the stage shows pictures: pixels, ground, blinking, the eye's distance. */

import {
  Box,
  Button,
  ButtonBase,
  Popover,
  Slider,
  Stack,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from "@mui/material";
import { type ReactNode, useState } from "react";
import { decimal } from "../app/format";
import { GROUNDS } from "../look/tokens";
import { Figure } from "./TargetFields";
import { screenPpi } from "./screen";
import { type ViewSettings } from "./viewSettings";

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

export function ViewMenu(props: {
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
