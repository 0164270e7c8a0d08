/** The light table with what lies around it: names, curtain, zoom. */

import {
  Box,
  ButtonBase,
  MenuItem,
  Select,
  Stack,
  ToggleButton,
  ToggleButtonGroup,
  Tooltip,
  Typography,
} from "@mui/material";
import {
  type KeyboardEvent,
  type PointerEvent,
  type ReactNode,
  useCallback,
  useEffect,
  useRef,
  useState,
  useSyncExternalStore,
} from "react";
import type { Kernel } from "../api/client";
import { useKept } from "../app/kept";
import type { Box as PartBox } from "../stage/camera";
import { type Layout, type Seen, Stage, type Subject } from "../stage/stage";

const GREYS = ["#777777", "#2E2E2E", "#BDBDBD", "#FFFFFF"] as const;
const GREY_NAMES = ["middle grey", "dark grey", "light grey", "white"] as const;
const ZOOMS = [0.5, 1, 2, 4] as const;
const EMPTY: Seen = {
  zoom: 1,
  curtain: 0.5,
  before: { ready: 0, needed: 0 },
  after: { ready: 0, needed: 0 },
  fromOriginal: false,
};

export const KERNEL_NAMES: Record<Kernel, string> = { nearest: "nearest", bicubic: "bicubic", lanczos3: "Lanczos 3" };

export function StageView(props: {
  subject: Subject;
  afterName: string;
  before: Kernel;
  onBefore: (kernel: Kernel) => void;
  /** What the right side shows instead of the result, while something is held. */
  instead?: string;
}) {
  const [stage, setStage] = useState<Stage>();
  const [layout, setLayout] = useKept<Layout>("layout", "curtain");
  const [smooth, setSmooth] = useKept("smooth", false);
  const [grey, setGrey] = useKept<string>("grey", GREYS[0]);
  const seen = useSyncExternalStore(
    useCallback((listener) => stage?.subscribe(listener) ?? (() => undefined), [stage]),
    () => stage?.snapshot() ?? EMPTY,
  );

  const attach = useCallback((canvas: HTMLCanvasElement | null) => {
    if (!canvas) return;
    const made = new Stage(canvas);
    setStage(made);
    return () => {
      made.dispose();
      setStage(undefined);
    };
  }, []);
  useEffect(() => stage?.show(props.subject), [stage, props.subject]);
  useEffect(() => stage?.setLayout(layout), [stage, layout]);
  useEffect(() => stage?.setSmooth(smooth), [stage, smooth]);

  const keyDown = (e: KeyboardEvent) => {
    if (!stage || e.ctrlKey || e.metaKey || e.altKey) return;
    const step = e.shiftKey ? 400 : 80;
    const actions: Record<string, () => void> = {
      ArrowLeft: () => stage.panBy(step, 0),
      ArrowRight: () => stage.panBy(-step, 0),
      ArrowUp: () => stage.panBy(0, step),
      ArrowDown: () => stage.panBy(0, -step),
      "+": () => stage.zoomBy(1.25),
      "=": () => stage.zoomBy(1.25),
      "-": () => stage.zoomBy(0.8),
      f: () => stage.fit(),
      p: () => stage.zoomTo(1),
      ",": () => stage.setCurtain(seen.curtain - 0.02),
      ".": () => stage.setCurtain(seen.curtain + 0.02),
      o: () => stage.setOnlyBefore(true),
    };
    const action = actions[e.key];
    if (action) {
      e.preventDefault();
      action();
    }
  };

  const dark = grey === GREYS[1] || grey === GREYS[0];
  const { after, before } = seen;
  const [ready, needed] = [after.ready + before.ready, after.needed + before.needed];
  return (
    <>
      <Box
        component="section"
        aria-label="Stage"
        data-testid="stage"
        data-ready={ready}
        data-needed={needed}
        data-zoom={seen.zoom.toFixed(4)}
        data-curtain={seen.curtain.toFixed(4)}
        sx={{ position: "relative", flex: 1, minWidth: 0, minHeight: 0, bgcolor: grey, overflow: "hidden" }}
      >
        <canvas
          ref={attach}
          tabIndex={0}
          role="img"
          aria-label={`Original by ${KERNEL_NAMES[props.before]} resampling beside ${props.afterName}, at ${Math.round(seen.zoom * 100)} per cent`}
          onKeyDown={keyDown}
          onKeyUp={(e) => e.key === "o" && stage?.setOnlyBefore(false)}
          onBlur={() => stage?.setOnlyBefore(false)}
          style={{
            position: "absolute",
            inset: 0,
            width: "100%",
            height: "100%",
            cursor: "grab",
            touchAction: "none",
            outlineOffset: -2,
          }}
        />
        <Progress share={needed === 0 ? 1 : ready / needed} />
        {layout === "curtain" ? (
          <Curtain share={seen.curtain} onMove={(share) => stage?.setCurtain(share)} />
        ) : (
          <Box
            sx={{
              position: "absolute",
              left: "50%",
              top: 0,
              bottom: 0,
              width: "1px",
              bgcolor: dark ? "#fff8" : "#0008",
            }}
          />
        )}
        <Name side="left" detail={before.ready < before.needed ? "arriving" : undefined}>
          Original, {KERNEL_NAMES[props.before]}
        </Name>
        <Name
          side="right"
          detail={
            seen.fromOriginal
              ? "this far off, enlarging does not show: zoom in to compare"
              : after.ready < after.needed
                ? `${after.ready} of ${after.needed} tiles`
                : undefined
          }
        >
          {props.instead ?? props.afterName}
        </Name>
        {seen.part && (
          <Navigator thumbnail={props.subject.thumbnail} part={seen.part} onGo={(x, y) => stage?.goTo(x, y)} />
        )}
      </Box>
      <StageBar>
        <ToggleButtonGroup
          exclusive
          value={layout}
          aria-label="Comparison"
          onChange={(_, value: Layout | null) => value && setLayout(value)}
        >
          <ToggleButton value="curtain">Curtain</ToggleButton>
          <ToggleButton value="side" sx={{ whiteSpace: "nowrap" }}>
            Side by side
          </ToggleButton>
        </ToggleButtonGroup>
        <Caption>Original by</Caption>
        <Tooltip title="How the original is brought to the result's size for comparison">
          <Select
            value={props.before}
            onChange={(e) => props.onBefore(e.target.value as Kernel)}
            inputProps={{ "aria-label": "Original resampled by" }}
            sx={{ height: 30, fontSize: 14 }}
          >
            {Object.entries(KERNEL_NAMES).map(([kernel, name]) => (
              <MenuItem key={kernel} value={kernel}>
                {name}
              </MenuItem>
            ))}
          </Select>
        </Tooltip>
        <Caption>Zoom</Caption>
        <ZoomChoice zoom={seen.zoom} onFit={() => stage?.fit()} onZoom={(zoom) => stage?.zoomTo(zoom)} />
        <Tooltip title="How pixels are magnified on the screen above 100 %: as squares, or smoothed by the browser">
          <ToggleButton value="smooth" selected={smooth} onChange={() => setSmooth(!smooth)}>
            {smooth ? "Magnified smoothly" : "Magnified in squares"}
          </ToggleButton>
        </Tooltip>
        <Box sx={{ flex: 1 }} />
        <Caption>Ground</Caption>
        <Stack direction="row" spacing={0.5} role="group" aria-label="Ground">
          {GREYS.map((shade, i) => (
            <ButtonBase
              key={shade}
              aria-label={`Ground: ${GREY_NAMES[i] ?? shade}`}
              aria-pressed={grey === shade}
              onClick={() => setGrey(shade)}
              sx={{
                width: 18,
                height: 18,
                bgcolor: shade,
                border: "1px solid",
                borderColor: grey === shade ? "primary.main" : "divider",
                outline: grey === shade ? "1px solid" : "none",
                outlineColor: "primary.main",
              }}
            />
          ))}
        </Stack>
      </StageBar>
    </>
  );
}

function ZoomChoice(props: { zoom: number; onFit: () => void; onZoom: (zoom: number) => void }) {
  return (
    <ToggleButtonGroup
      exclusive
      value={ZOOMS.find((z) => Math.abs(z - props.zoom) < 0.005) ?? null}
      aria-label="Zoom, in pixels of the print"
    >
      <ToggleButton value="fit" aria-label="Whole picture" onClick={props.onFit}>
        Whole
      </ToggleButton>
      {ZOOMS.map((zoom) => (
        <ToggleButton key={zoom} value={zoom} aria-label={`${zoom * 100} per cent`} onClick={() => props.onZoom(zoom)}>
          {zoom * 100}
        </ToggleButton>
      ))}
      <Box
        component="span"
        sx={{ px: 1, alignSelf: "center", minWidth: 56, textAlign: "right", fontSize: 14, color: "measured" }}
      >
        {Math.round(props.zoom * 100)} %
      </Box>
    </ToggleButtonGroup>
  );
}

function Caption({ children }: { children: ReactNode }) {
  return (
    <Typography variant="caption" sx={{ color: "text.secondary", whiteSpace: "nowrap" }}>
      {children}
    </Typography>
  );
}

/** What is chosen about the view, out of the picture's way. */
function StageBar({ children }: { children: ReactNode }) {
  return (
    <Stack
      direction="row"
      spacing={1.5}
      role="toolbar"
      aria-label="View"
      sx={{
        height: 42,
        px: 2,
        flexShrink: 0,
        alignItems: "center",
        bgcolor: "background.default",
        borderTop: 1,
        borderColor: "divider",
      }}
    >
      {children}
    </Stack>
  );
}

/** The whole picture, small, with the part in view; a click goes there. */
function Navigator(props: { thumbnail: string; part: PartBox; onGo: (x: number, y: number) => void }) {
  const { left, top, right, bottom } = props.part;
  const percent = (share: number) => `${share * 100}%`;
  return (
    <Box
      onClick={(e) => {
        const box = e.currentTarget.getBoundingClientRect();
        props.onGo((e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height);
      }}
      sx={{
        position: "absolute",
        left: 12,
        bottom: 12,
        border: 2,
        borderColor: "background.paper",
        cursor: "pointer",
        lineHeight: 0,
        overflow: "hidden",
      }}
    >
      <img src={props.thumbnail} alt="" style={{ maxWidth: 144, maxHeight: 112 }} />
      <Box
        sx={{
          position: "absolute",
          left: percent(left),
          top: percent(top),
          width: percent(right - left),
          height: percent(bottom - top),
          border: "1px solid #fff",
          boxShadow: "0 0 0 200px rgba(0,0,0,0.4)",
        }}
      />
    </Box>
  );
}

/** A hairline: how much of the view is still to come. */
function Progress({ share }: { share: number }) {
  if (share >= 1) return null;
  return (
    <Box
      role="progressbar"
      aria-label="View"
      aria-valuenow={Math.round(share * 100)}
      sx={{ position: "absolute", left: 0, top: 0, right: 0, height: 3 }}
    >
      <Box
        sx={{ height: "100%", width: `${share * 100}%`, bgcolor: "primary.main", transition: "width 120ms linear" }}
      />
    </Box>
  );
}

function Name(props: { side: "left" | "right"; detail?: string; children: ReactNode }) {
  return (
    <Box
      sx={{
        position: "absolute",
        top: 12,
        [props.side]: 12,
        px: 1,
        py: 0.25,
        bgcolor: "background.paper",
        border: 1,
        borderColor: "divider",
        pointerEvents: "none",
        textAlign: props.side,
      }}
    >
      <Typography variant="caption" sx={{ fontWeight: 600, display: "block" }}>
        {props.children}
      </Typography>
      {props.detail && (
        <Typography variant="caption" sx={{ color: "text.secondary", display: "block", lineHeight: 1.2 }}>
          {props.detail}
        </Typography>
      )}
    </Box>
  );
}

/** The movable edge between the original on its left and the result on its right. */
function Curtain({ share, onMove }: { share: number; onMove: (share: number) => void }) {
  const edge = useRef<HTMLDivElement>(null);
  const dragging = useRef(false);
  const follow = (e: PointerEvent) => {
    const box = edge.current?.parentElement?.getBoundingClientRect();
    if (dragging.current && box) onMove((e.clientX - box.left) / box.width);
  };
  const keys: Record<string, number> = { ArrowLeft: share - 0.02, ArrowRight: share + 0.02, Home: 0, End: 1 };
  return (
    <Box
      ref={edge}
      role="slider"
      tabIndex={0}
      aria-label="Curtain"
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(share * 100)}
      aria-valuetext={`${Math.round(share * 100)} per cent original`}
      onPointerDown={(e) => {
        dragging.current = true;
        e.currentTarget.setPointerCapture(e.pointerId);
      }}
      onPointerMove={follow}
      onPointerUp={() => (dragging.current = false)}
      onPointerCancel={() => (dragging.current = false)}
      onKeyDown={(e) => {
        const to = keys[e.key];
        if (to !== undefined) {
          e.preventDefault();
          onMove(to);
        }
      }}
      sx={{
        position: "absolute",
        top: 0,
        bottom: 0,
        left: `calc(${share * 100}% - 10px)`,
        width: 20,
        cursor: "ew-resize",
        touchAction: "none",
        "&::before": {
          content: '""',
          position: "absolute",
          left: 9,
          top: 0,
          bottom: 0,
          width: "2px",
          bgcolor: "#fff",
          boxShadow: "0 0 0 1px #0006",
        },
        "&::after": {
          content: '""',
          position: "absolute",
          left: 3,
          top: "calc(50% - 22px)",
          width: 14,
          height: 44,
          bgcolor: "background.paper",
          border: "1px solid",
          borderColor: "text.primary",
        },
      }}
    />
  );
}
