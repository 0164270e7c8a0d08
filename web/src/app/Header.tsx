/** The frame's head: orders, views, who has signed in, the room's light. */

import DarkModeOutlined from "@mui/icons-material/DarkModeOutlined";
import LightModeOutlined from "@mui/icons-material/LightModeOutlined";
import SearchIcon from "@mui/icons-material/Search";
import { Box, Button, IconButton, MenuItem, Select, Stack, Tooltip, Typography } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { MouseEvent } from "react";
import { type Order, answered, api } from "../api/client";
import { useRunSheet } from "../api/queries";
import { type ThemeName } from "../look/tokens";
import { type ViewName, pathOf } from "./place";

function Mark() {
  return (
    <Box component="svg" viewBox="0 0 32 32" aria-hidden sx={{ width: 22, height: 22, flexShrink: 0 }}>
      <Box
        component="path"
        d="M3 29V12h8M3 29h17v-8"
        sx={{ fill: "none", stroke: (t) => t.palette.text.secondary, strokeWidth: 2 }}
      />
      <Box component="path" d="M11 21V3h18v18z" sx={{ fill: (t) => t.palette.primary.main }} />
    </Box>
  );
}

const VIEWS: [ViewName, string][] = [
  ["orders", "Orders"],
  ["bench", "Bench"],
  ["strip", "Strip"],
  ["runs", "Runs"],
  ["shelf", "Shelf"],
  ["settings", "Settings"],
];

/** Its height in pixels. */
export const HEADER_HEIGHT = 44;

export function Header(props: {
  themeName: ThemeName;
  onTheme: () => void;
  orders: Order[];
  order?: number;
  onOrder: (id: number) => void;
  view?: ViewName;
  picture?: number;
  onView: (view: ViewName) => void;
  onSearch: () => void;
  onShortcuts: () => void;
}) {
  const ahead = useRunSheet().data?.ahead ?? [];
  const running = ahead.filter((j) => j.state === "running").length;
  const waiting = ahead.filter((j) => j.state === "waiting").length;
  const at = [running && `${running} running`, waiting && `${waiting} waiting`].filter(Boolean).join(", ");
  const current = props.orders.find((o) => o.id === props.order);
  return (
    <Stack
      component="header"
      className="steps-back"
      direction="row"
      spacing={1.5}
      sx={{
        height: HEADER_HEIGHT,
        px: 2,
        alignItems: "center",
        flexShrink: 0,
        bgcolor: "background.default",
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      <Mark />
      <Typography component="h1" variant="h1" sx={{ letterSpacing: "0.01em", display: { xs: "none", md: "block" } }}>
        Dettaglio
      </Typography>
      {props.orders.length > 0 && (
        <Select
          value={props.order ?? ""}
          variant="standard"
          disableUnderline
          inputProps={{ "aria-label": "Order" }}
          onChange={(e) => props.onOrder(Number(e.target.value))}
          sx={{
            fontWeight: "fontWeightBold",
            minWidth: 96,
            maxWidth: { xs: 150, md: 420 },
            pl: 1.5,
            borderLeft: 1,
            borderColor: "divider",
          }}
        >
          {props.orders.map((o) => (
            <MenuItem key={o.id} value={o.id}>
              {o.title}
            </MenuItem>
          ))}
        </Select>
      )}
      {current && (
        <Typography
          variant="body2"
          noWrap
          sx={{ color: "text.secondary", minWidth: 0, display: { xs: "none", lg: "block" } }}
        >
          {current.client}
          {current.due_on &&
            `${current.client ? ", " : ""}due ${new Date(current.due_on).toLocaleDateString("en-GB", { day: "numeric", month: "long" })}`}
        </Typography>
      )}
      <Box sx={{ flex: 1 }} />
      <Box
        component="nav"
        aria-label="Views"
        sx={{ display: "flex", minWidth: 0, overflowX: "auto", scrollbarWidth: "none" }}
      >
        {VIEWS.map(([view, name]) => (
          <Button
            key={view}
            color="inherit"
            component="a"
            href={pathOf({ view, order: props.order, picture: props.picture })}
            aria-current={props.view === view ? "page" : undefined}
            // A plain click stays in the page; with a key held, the browser opens it elsewhere.
            onClick={(e: MouseEvent) => {
              if (e.ctrlKey || e.metaKey || e.shiftKey) return;
              e.preventDefault();
              props.onView(view);
            }}
            sx={{
              borderRadius: 0,
              flexShrink: 0,
              borderBottom: 2,
              borderColor: props.view === view ? "primary.main" : "transparent",
            }}
          >
            {view === "runs" && at ? (
              <Box component="span" aria-live="polite" sx={{ color: "primary.main" }}>
                {name}: {at}
              </Box>
            ) : (
              name
            )}
          </Button>
        ))}
      </Box>
      <Account />
      <Tooltip title="Find something to do by its name">
        <IconButton aria-label="Find something to do" onClick={props.onSearch}>
          <SearchIcon fontSize="small" />
        </IconButton>
      </Tooltip>
      <Tooltip title={props.themeName === "paper" ? "Dim the room" : "Light the room"}>
        <IconButton aria-label={props.themeName === "paper" ? "Dim theme" : "Paper theme"} onClick={props.onTheme}>
          {props.themeName === "paper" ? <DarkModeOutlined fontSize="small" /> : <LightModeOutlined fontSize="small" />}
        </IconButton>
      </Tooltip>
      <Tooltip title="Keys">
        <IconButton aria-label="Keys" onClick={props.onShortcuts}>
          <Box component="span" sx={{ width: 20, typography: "h2" }}>
            ?
          </Box>
        </IconButton>
      </Tooltip>
    </Stack>
  );
}

/** Who has signed in, where that was asked for. */
function Account() {
  const client = useQueryClient();
  const who = useQuery({ queryKey: ["session"], queryFn: () => answered(api.GET("/api/v1/session")) });
  const leave = useMutation({
    mutationFn: () => answered(api.DELETE("/api/v1/session")),
    onSuccess: () => client.resetQueries(),
  });
  if (!who.data?.name) return null;
  return (
    <Button color="inherit" onClick={() => leave.mutate()}>
      {who.data.name}: sign out
    </Button>
  );
}
