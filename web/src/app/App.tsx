/** The frame: header, tray, bench; which order and which picture. */

import AddIcon from "@mui/icons-material/Add";
import DarkModeOutlined from "@mui/icons-material/DarkModeOutlined";
import LightModeOutlined from "@mui/icons-material/LightModeOutlined";
import {
  Alert,
  Box,
  Button,
  CssBaseline,
  IconButton,
  MenuItem,
  Select,
  Snackbar,
  Stack,
  ThemeProvider,
  Tooltip,
  Typography,
} from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type DragEvent, Suspense, lazy, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { type Job, type Order, type Original, answered, api, sentence } from "../api/client";
import { keys, useEvents, useModels, useOrder, useOrders } from "../api/queries";
import { Bench } from "../bench/Bench";
import { FilePicker } from "../bench/FilePicker";
import { Tray } from "../bench/Tray";
import { Runs } from "../bench/Runs";
import { type Imports, droppedFiles, useImports } from "../bench/importing";
import { NewOrder } from "./NewOrder";
import { Shortcuts } from "./Shortcuts";
import { useKept } from "./kept";
import { type ThemeName, theme } from "./theme";

export function App() {
  const [name, setName] = useKept<ThemeName>("theme", "paper");
  const current = useMemo(() => theme(name), [name]);
  return (
    <ThemeProvider theme={current}>
      <CssBaseline />
      <Workplace themeName={name} onTheme={() => setName(name === "paper" ? "dim" : "paper")} />
    </ThemeProvider>
  );
}

type View = "bench" | "strip" | "shelf";

// With its charts it is half of the program, and the bench does without.
const Shelf = lazy(() => import("../shelf/Shelf").then((module) => ({ default: module.Shelf })));

function Workplace(props: { themeName: ThemeName; onTheme: () => void }) {
  const client = useQueryClient();
  const orders = useOrders();
  const models = useModels();
  const [keptOrder, setOrder] = useKept<number | undefined>("order", undefined);
  const order = orders.data?.some((o) => o.id === keptOrder) ? keptOrder : orders.data?.[0]?.id;
  const contents = useOrder(order);
  useEvents(order);
  const [pictures, setPictures] = useKept<{ [order: number]: number }>("pictures", {});
  const originals = contents.data?.originals ?? [];
  const wanted = order === undefined ? undefined : pictures[order];
  const original = originals.find((o) => o.id === wanted) ?? originals[0];
  const select = useCallback(
    (id: number) => order !== undefined && setPictures({ ...pictures, [order]: id }),
    [order, pictures, setPictures],
  );
  const [view, setView] = useKept<View>("view", "bench");
  const [runs, setRuns] = useState(false);
  const [newOrder, setNewOrder] = useState(false);
  const [shortcuts, setShortcuts] = useState(false);

  const imports = useImports(order, select);
  const offered = useMemo(() => models.data?.filter((m) => !m.retired) ?? [], [models.data]);

  const refresh = () => order !== undefined && client.invalidateQueries({ queryKey: keys.order(order) });
  const cancel = useMutation({
    mutationFn: (id: number) => answered(api.POST("/api/v1/jobs/{id}/cancel", { params: { path: { id } } })),
    onSettled: refresh,
  });
  const retry = useMutation({
    mutationFn: (id: number) => answered(api.POST("/api/v1/jobs/{id}/retry", { params: { path: { id } } })),
    onSettled: refresh,
  });

  const [removed, setRemoved] = useState<Original>();
  const remove = useMutation({
    mutationFn: async ({ original, back }: { original: Original; back: boolean }) => {
      const params = { params: { path: { id: original.id } } };
      await (back
        ? answered(api.POST("/api/v1/originals/{id}/restore", params))
        : answered(api.DELETE("/api/v1/originals/{id}", params)));
    },
    onSuccess: (_, { original, back }) => setRemoved(back ? undefined : original),
    onSettled: refresh,
  });

  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const typing = /^(INPUT|TEXTAREA|SELECT)$/.test((e.target as HTMLElement).tagName);
      if (e.key === "?" && !typing) setShortcuts(true);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);

  return (
    <DropArea onFiles={imports.add}>
      <Header
        {...props}
        orders={orders.data ?? []}
        order={order}
        jobs={contents.data?.jobs ?? []}
        onOrder={setOrder}
        onNewOrder={() => setNewOrder(true)}
        view={view}
        onView={setView}
        onRuns={() => setRuns(true)}
        onShortcuts={() => setShortcuts(true)}
      />
      <Notices imports={imports} error={orders.error ?? contents.error ?? models.error} />
      {view === "shelf" && models.data && (
        <Suspense fallback={<Box sx={{ flex: 1 }} aria-busy="true" />}>
          <Shelf models={models.data} />
        </Suspense>
      )}
      <Box sx={{ flex: 1, minHeight: 0, display: view === "shelf" ? "none" : "flex" }}>
        {contents.data && originals.length + imports.arriving.length > 0 && (
          <Tray
            contents={contents.data}
            selected={original?.id}
            arriving={imports.arriving}
            onSelect={select}
            onAdd={imports.add}
          />
        )}
        {contents.data && original && models.data ? (
          <Bench
            key={original.id}
            original={original}
            contents={contents.data}
            models={offered}
            strip={view === "strip"}
            active={view !== "shelf"}
            onBench={() => setView("bench")}
            onCancel={(id) => cancel.mutate(id)}
            onRemove={() => remove.mutate({ original, back: false })}
          />
        ) : (
          <Empty
            loading={orders.isLoading || contents.isLoading || models.isLoading}
            orders={orders.data}
            onNewOrder={() => setNewOrder(true)}
            onAdd={imports.add}
          />
        )}
      </Box>
      <Runs
        open={runs}
        contents={contents.data}
        onClose={() => setRuns(false)}
        onCancel={(id) => cancel.mutate(id)}
        onRetry={(id) => retry.mutate(id)}
        onShow={(id) => {
          select(id);
          setView("bench");
          setRuns(false);
        }}
      />
      <NewOrder
        open={newOrder}
        onClose={() => setNewOrder(false)}
        onMade={(id) => {
          setOrder(id);
          setNewOrder(false);
        }}
      />
      <Snackbar
        open={removed !== undefined}
        autoHideDuration={12_000}
        onClose={(_, reason) => reason === "timeout" && setRemoved(undefined)}
        message={`${removed?.name ?? ""} is out of the order; its file and results are kept`}
        action={
          <Button color="inherit" onClick={() => removed && remove.mutate({ original: removed, back: true })}>
            Put back
          </Button>
        }
      />
      <Shortcuts open={shortcuts} onClose={() => setShortcuts(false)} />
    </DropArea>
  );
}

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

const VIEWS: [View, string][] = [
  ["bench", "Bench"],
  ["strip", "Strip"],
  ["shelf", "Shelf"],
];

function Header(props: {
  themeName: ThemeName;
  onTheme: () => void;
  orders: Order[];
  order?: number;
  jobs: Job[];
  onOrder: (id: number) => void;
  onNewOrder: () => void;
  view: View;
  onView: (view: View) => void;
  onRuns: () => void;
  onShortcuts: () => void;
}) {
  const running = props.jobs.filter((j) => j.state === "running").length;
  const waiting = props.jobs.filter((j) => j.state === "waiting").length;
  const at = [running && `${running} running`, waiting && `${waiting} waiting`].filter(Boolean).join(", ");
  const current = props.orders.find((o) => o.id === props.order);
  return (
    <Stack
      component="header"
      direction="row"
      spacing={1.5}
      sx={{
        height: 44,
        px: 2,
        alignItems: "center",
        flexShrink: 0,
        bgcolor: "background.default",
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      <Mark />
      <Typography component="h1" variant="h1" sx={{ letterSpacing: "0.01em" }}>
        Dettaglio
      </Typography>
      {props.orders.length > 0 && (
        <Select
          value={props.order ?? ""}
          variant="standard"
          disableUnderline
          inputProps={{ "aria-label": "Order" }}
          onChange={(e) => props.onOrder(Number(e.target.value))}
          sx={{ fontWeight: 600, maxWidth: 420, pl: 1.5, borderLeft: 1, borderColor: "divider" }}
        >
          {props.orders.map((o) => (
            <MenuItem key={o.id} value={o.id}>
              {o.title}
            </MenuItem>
          ))}
        </Select>
      )}
      <Tooltip title="New order">
        <IconButton aria-label="New order" onClick={props.onNewOrder}>
          <AddIcon fontSize="small" />
        </IconButton>
      </Tooltip>
      {current && (
        <Typography variant="body2" noWrap sx={{ color: "text.secondary", minWidth: 0 }}>
          {current.client}
          {current.due_on &&
            `${current.client ? ", " : ""}due ${new Date(current.due_on).toLocaleDateString("en-GB", { day: "numeric", month: "long" })}`}
        </Typography>
      )}
      <Box sx={{ flex: 1 }} />
      <Box component="nav" aria-label="Views" sx={{ display: "flex" }}>
        {VIEWS.map(([view, name]) => (
          <Button
            key={view}
            color="inherit"
            aria-current={props.view === view ? "page" : undefined}
            onClick={() => props.onView(view)}
            sx={{
              borderRadius: 0,
              borderBottom: 2,
              borderColor: props.view === view ? "primary.main" : "transparent",
            }}
          >
            {name}
          </Button>
        ))}
      </Box>
      <Button onClick={props.onRuns} color={at ? "primary" : "inherit"} aria-live="polite">
        {at ? `Runs: ${at}` : "Runs"}
      </Button>
      <Tooltip title={props.themeName === "paper" ? "Dim the room" : "Light the room"}>
        <IconButton aria-label={props.themeName === "paper" ? "Dim theme" : "Paper theme"} onClick={props.onTheme}>
          {props.themeName === "paper" ? <DarkModeOutlined fontSize="small" /> : <LightModeOutlined fontSize="small" />}
        </IconButton>
      </Tooltip>
      <Tooltip title="Keys">
        <IconButton aria-label="Keys" onClick={props.onShortcuts}>
          <Box component="span" sx={{ width: 20, fontSize: 16, fontWeight: 600 }}>
            ?
          </Box>
        </IconButton>
      </Tooltip>
    </Stack>
  );
}

/** What happened to files that were refused or known already, until it is put away; and a server that is gone. */
function Notices({ imports, error }: { imports: Imports; error: unknown }) {
  const { notices } = imports;
  return (
    <>
      {error != null && (
        <Alert severity="error" square>
          {sentence(error)}
        </Alert>
      )}
      {notices.length > 0 && (
        <Alert
          severity={notices.some((n) => n.refused) ? "error" : "info"}
          square
          onClose={imports.dismiss}
          data-testid="notices"
          sx={{ maxHeight: 160, overflowY: "auto" }}
        >
          {notices.map((n) => (
            <Box key={n.key}>
              <strong>{n.name}</strong>: {n.text}
            </Box>
          ))}
        </Alert>
      )}
    </>
  );
}

function Empty(props: { loading: boolean; orders?: Order[]; onNewOrder: () => void; onAdd: (files: File[]) => void }) {
  const input = useRef<HTMLInputElement>(null);
  if (props.loading) return <Box sx={{ flex: 1 }} aria-busy="true" />;
  const first = props.orders?.length === 0;
  return (
    <Stack
      component="main"
      spacing={2}
      sx={{ flex: 1, alignItems: "center", justifyContent: "center", textAlign: "center", p: 4 }}
    >
      <Typography variant="h1" component="h2">
        {first ? "An order holds the pictures of one job" : "This order is empty"}
      </Typography>
      <Typography sx={{ color: "text.secondary", maxWidth: 460 }}>
        {first
          ? "Open the first one, then drop photographs on it. Originals are never changed."
          : "Drop photographs or a folder anywhere on this page. JPEG, PNG, TIFF and WebP are read, with 8 and 16 bits; the files themselves are never changed."}
      </Typography>
      {first ? (
        <Button variant="contained" onClick={props.onNewOrder}>
          Open an order
        </Button>
      ) : (
        <>
          <Button variant="contained" onClick={() => input.current?.click()}>
            Choose pictures
          </Button>
          <FilePicker ref={input} onFiles={props.onAdd} />
        </>
      )}
    </Stack>
  );
}

/** Files may be dropped anywhere. */
function DropArea({ onFiles, children }: { onFiles: (files: File[]) => void; children: React.ReactNode }) {
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
