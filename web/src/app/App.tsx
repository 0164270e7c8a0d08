/** The frame: header and views; which order and which picture. */

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
import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type DragEvent, Suspense, lazy, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { type Job, type Order, type Original, Refusal, answered, api, sentence } from "../api/client";
import { keys, useEvents, useInstruct, useModels, useOrder, useOrders, useRunSheet } from "../api/queries";
import { SignIn } from "../access/SignIn";
import { Bench } from "../bench/Bench";
import { FilePicker } from "../bench/FilePicker";
import { Tray } from "../bench/Tray";
import { type Notice, droppedFiles, useImports } from "../bench/importing";
import { OrderDialog } from "../orders/OrderDialog";
import { Orders } from "../orders/Orders";
import { RunSheet } from "../runs/RunSheet";
import { Settings } from "../settings/Settings";
import { Shortcuts } from "./Shortcuts";
import { useKept } from "./kept";
import { type ThemeName, theme } from "./theme";

export function App() {
  const [name, setName] = useKept<ThemeName>("theme", "paper");
  const current = useMemo(() => theme(name), [name]);
  return (
    <ThemeProvider theme={current}>
      <CssBaseline />
      <Door>
        <Workplace themeName={name} onTheme={() => setName(name === "paper" ? "dim" : "paper")} />
      </Door>
    </ThemeProvider>
  );
}

/** Asks who it is, where the server wants to know. */
function Door({ children }: { children: React.ReactNode }) {
  const orders = useOrders();
  const shut = orders.error instanceof Refusal && orders.error.problem.code === "access.sign-in";
  return shut ? <SignIn /> : children;
}

type View = "orders" | "bench" | "strip" | "runs" | "shelf" | "settings";

/** The views in which an order's pictures are seen. */
const PICTURES: View[] = ["orders", "bench", "strip"];

/** The views of one picture, which keep their state while others are shown. */
const OF_A_PICTURE: View[] = ["bench", "strip"];

// With its charts it is half of the program, and the bench does without.
const Shelf = lazy(() => import("../shelf/Shelf").then((module) => ({ default: module.Shelf })));

function Workplace(props: { themeName: ThemeName; onTheme: () => void }) {
  const client = useQueryClient();
  const orders = useOrders();
  const models = useModels();
  const [keptOrder, setOrder] = useKept<number | undefined>("order", undefined);
  const order = orders.data?.some((o) => o.id === keptOrder) ? keptOrder : orders.data?.[0]?.id;
  const contents = useOrder(order);
  const [pictures, setPictures] = useKept<{ [order: number]: number }>("pictures", {});
  const originals = contents.data?.originals ?? [];
  const wanted = order === undefined ? undefined : pictures[order];
  const original = originals.find((o) => o.id === wanted) ?? originals[0];
  const select = useCallback(
    (id: number) => order !== undefined && setPictures({ ...pictures, [order]: id }),
    [order, pictures, setPictures],
  );
  const [view, setView] = useKept<View>("view", "bench");
  const [notify, setNotify] = useKept("notify", false);
  useEvents(order, (job) => {
    if (notify) void tellWhenDone(client, job);
  });
  const instruct = useInstruct();
  const [newOrder, setNewOrder] = useState(false);
  const [shortcuts, setShortcuts] = useState(false);

  const imports = useImports(order, select);
  const offered = useMemo(() => models.data?.filter((m) => !m.retired) ?? [], [models.data]);

  const refresh = () => order !== undefined && client.invalidateQueries({ queryKey: keys.order(order) });
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
        onOrder={setOrder}
        view={view}
        onView={setView}
        onShortcuts={() => setShortcuts(true)}
      />
      <Notices
        // What was said of an order's files is said where its pictures are.
        notices={PICTURES.includes(view) ? imports.notices.filter((n) => n.order === order) : []}
        error={orders.error ?? contents.error ?? models.error}
        onClose={imports.dismiss}
      />
      {view === "orders" && orders.data && (
        <Orders
          orders={orders.data}
          contents={contents.data}
          onOrder={setOrder}
          onShow={(id) => {
            select(id);
            setView("bench");
          }}
          onAdd={imports.add}
          onRuns={() => setView("runs")}
        />
      )}
      {view === "runs" && (
        <RunSheet
          orders={orders.data ?? []}
          notify={notify}
          onNotify={(on) => {
            setNotify(on);
            if (on && "Notification" in window) void Notification.requestPermission();
          }}
          onShow={(of, id) => {
            setOrder(of);
            setPictures({ ...pictures, [of]: id });
            setView("bench");
          }}
        />
      )}
      {view === "shelf" && models.data && (
        <Suspense fallback={<Box sx={{ flex: 1 }} aria-busy="true" />}>
          <Shelf models={models.data} />
        </Suspense>
      )}
      {view === "settings" && models.data && <Settings models={models.data} />}
      <Box sx={{ flex: 1, minHeight: 0, display: OF_A_PICTURE.includes(view) ? "flex" : "none" }}>
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
            active={OF_A_PICTURE.includes(view)}
            onBench={() => setView("bench")}
            onCancel={(id) => instruct.mutate({ jobs: [id], do: "cancel" })}
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
      {newOrder && (
        <OrderDialog
          onClose={() => setNewOrder(false)}
          onDone={({ id }) => {
            setOrder(id);
            setNewOrder(false);
          }}
        />
      )}
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
  ["orders", "Orders"],
  ["bench", "Bench"],
  ["strip", "Strip"],
  ["runs", "Runs"],
  ["shelf", "Shelf"],
  ["settings", "Settings"],
];

/** A notice of the browser, when the last job that was asked for has ended. */
async function tellWhenDone(client: QueryClient, job: Job): Promise<void> {
  if (!("Notification" in window) || Notification.permission !== "granted") return;
  const sheet = await client.fetchQuery({
    queryKey: keys.runSheet,
    queryFn: () => answered(api.GET("/api/v1/run-sheet")),
    staleTime: 0,
  });
  if (sheet.ahead.length > 0) return;
  const failed = sheet.ended.filter((j) => j.state === "failed").length;
  new Notification("All runs are done", { body: failed > 0 ? `${failed} failed` : `The last was ${job.file_name}` });
}

function Header(props: {
  themeName: ThemeName;
  onTheme: () => void;
  orders: Order[];
  order?: number;
  onOrder: (id: number) => void;
  view: View;
  onView: (view: View) => void;
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
            fontWeight: 600,
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
          sx={{ color: "text.secondary", minWidth: 0, display: { xs: "none", md: "block" } }}
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
            aria-current={props.view === view ? "page" : undefined}
            onClick={() => props.onView(view)}
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

/** What happened to files that were refused or known already, until it is put away; and a server that is gone. */
function Notices({ notices, error, onClose }: { notices: Notice[]; error: unknown; onClose: () => void }) {
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
          onClose={onClose}
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
          : "Drop photographs or a folder anywhere on this page. JPEG, PNG, TIFF, WebP and camera raw are read, with 8 and 16 bits; the files themselves are never changed."}
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
