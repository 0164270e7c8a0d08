/** What belongs to the whole installation: products, this machine, what it is connected to, what it keeps. */

import CloseIcon from "@mui/icons-material/Close";
import { Alert, Box, Button, IconButton, LinearProgress, Stack, TextField, Typography } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Model, type Ticket, type Trouble, answered, api, sentence } from "../api/client";
import { keys, useProducts, useRunSheet } from "../api/queries";
import { bytes, counted, decimal, duration } from "../app/format";
import { PrintField } from "../orders/PrintField";
import { ComputingPanel } from "./Computing";
import { KeysPanel } from "./KeysPanel";
import { Panel } from "./Panel";
import { RemovedPanel } from "./Removed";
import { SuggestionsPanel } from "./Suggestions";

export function Settings({ models }: { models: Model[] }) {
  return (
    <Box component="main" aria-label="Settings" sx={{ flex: 1, overflowY: "auto", px: 3, py: 2 }}>
      <Typography variant="h1" component="h2" sx={{ mb: 2 }}>
        Settings
      </Typography>
      <Box
        sx={{ display: "grid", gap: 2, gridTemplateColumns: "repeat(auto-fit, minmax(420px, 1fr))", maxWidth: 1400 }}
      >
        <Stack spacing={2}>
          <Products />
          <RemovedPanel />
          <KeysPanel />
        </Stack>
        <Stack spacing={2}>
          <ComputingPanel />
          <Machine models={models} />
          <SuggestionsPanel />
          <Kept />
          <Outside />
        </Stack>
      </Box>
    </Box>
  );
}

function Products() {
  const client = useQueryClient();
  const products = useProducts();
  const [name, setName] = useState("");
  const [least, setLeast] = useState("");
  const [bleed, setBleed] = useState("");
  const [print, setPrint] = useState<Ticket>();
  const refresh = () => client.invalidateQueries({ queryKey: keys.products });
  const add = useMutation({
    mutationFn: (product: { name: string; print: Ticket; least_ppi: number | null }) =>
      answered(api.POST("/api/v1/products", { body: product })),
    onSuccess: () => {
      setName("");
      setPrint(undefined);
      setLeast("");
      setBleed("");
    },
    onSettled: refresh,
  });
  const remove = useMutation({
    mutationFn: (id: number) => answered(api.DELETE("/api/v1/products/{id}", { params: { path: { id } } })),
    onSettled: refresh,
  });
  const error = products.error ?? add.error ?? remove.error;
  return (
    <Panel title="Products" about="The prints that are sold: to choose from wherever a print is asked for.">
      {error != null && <Alert severity="error">{sentence(error)}</Alert>}
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {products.data?.map((p) => (
          <Stack
            key={p.id}
            component="li"
            direction="row"
            spacing={1}
            sx={{ alignItems: "center", borderBottom: 1, borderColor: "divider", py: 0.5 }}
          >
            <Typography variant="subtitle2" noWrap sx={{ width: 140 }}>
              {p.name}
            </Typography>
            <Typography variant="body2" noWrap sx={{ flex: 1 }}>
              {p.in_words}
            </Typography>
            <Typography variant="body2" noWrap sx={{ color: "text.secondary" }}>
              {p.least_ppi != null && `at least ${decimal(p.least_ppi)} ppi`}
            </Typography>
            <IconButton aria-label={`Take ${p.name} off the list`} onClick={() => remove.mutate(p.id)}>
              <CloseIcon fontSize="small" />
            </IconButton>
          </Stack>
        ))}
        {products.data?.length === 0 && <Typography variant="body2">No product yet.</Typography>}
      </Box>
      <Stack spacing={1.5} sx={{ maxWidth: 380 }}>
        <TextField label="Name of a product" value={name} onChange={(e) => setName(e.target.value)} />
        <PrintField value={print} none="choose its print" onChange={setPrint} />
        <TextField
          label="Bleed on every side, mm"
          type="number"
          value={bleed}
          helperText="the picture goes on as its own mirror image, to be cut or folded away"
          onChange={(e) => setBleed(e.target.value)}
        />
        <TextField
          label="Least resolution of the picture itself, ppi"
          type="number"
          value={least}
          onChange={(e) => setLeast(e.target.value)}
        />
        <Button
          variant="outlined"
          disabled={name.trim() === "" || !print || add.isPending}
          onClick={() => {
            if (!print) return;
            const mm = Number(bleed);
            const surround: Ticket["surround"] = mm > 0 ? { kind: "bleed", mm, fill: "mirror" } : print.surround;
            add.mutate({ name, print: { ...print, surround }, least_ppi: least === "" ? null : Number(least) });
          }}
          sx={{ alignSelf: "start" }}
        >
          Put it on the list
        </Button>
      </Stack>
    </Panel>
  );
}

const KINDS: Record<Model["card"]["kind"], (factor: number) => string> = {
  enlarge: (factor) => `x${factor}`,
  clean: () => "clean",
  face: () => "faces",
  find: () => "find wear",
  fill: () => "fill wear",
};

function Machine({ models }: { models: Model[] }) {
  const sheet = useRunSheet();
  const workers = sheet.data?.workers ?? [];
  const rated = models.filter((m) => m.pixels_per_second && !m.retired);
  const most = Math.max(...rated.map((m) => m.pixels_per_second ?? 0), 1);
  return (
    <Panel
      title="Machine"
      about="What each model does here, in pixels that go in: measured at the start, corrected by every run. All forecasts come from it."
    >
      <Typography variant="body2">
        {workers.length === 0
          ? "No worker is there."
          : `${counted(workers.length, "worker")}, ${workers.filter((w) => w.job_id != null).length} busy, on ${[...new Set(workers.map((w) => w.machine))].join(", ")}`}
      </Typography>
      <Box component="table" sx={{ width: "100%", borderSpacing: 0, typography: "body2" }}>
        <tbody>
          {rated.map((m) => (
            <tr key={m.card.id}>
              <td>{m.card.name}</td>
              <Box component="td" sx={{ color: "text.secondary" }}>
                {KINDS[m.card.kind](m.card.factor)} {m.card.grade}
              </Box>
              <Box component="td" sx={{ width: "34%" }}>
                <Box sx={{ height: 6, bgcolor: "measured", width: `${((m.pixels_per_second ?? 0) / most) * 100}%` }} />
              </Box>
              <Box component="td" sx={{ textAlign: "right" }}>
                {decimal((m.pixels_per_second ?? 0) / 1e6)} MP/s
              </Box>
            </tr>
          ))}
        </tbody>
      </Box>
    </Panel>
  );
}

function Kept() {
  const client = useQueryClient();
  const cache = useQuery({ queryKey: ["cache"], queryFn: () => answered(api.GET("/api/v1/cache")), staleTime: 0 });
  const clear = useMutation({
    mutationFn: () => answered(api.DELETE("/api/v1/cache")),
    onSettled: () => client.invalidateQueries({ queryKey: ["cache"] }),
  });
  return (
    <Panel
      title="Computed tiles"
      about="Kept on disk, so that a view or a run that was cut short goes on where it was. Those not used longest go first."
    >
      {clear.isError && <Alert severity="error">{sentence(clear.error)}</Alert>}
      {cache.data && (
        <>
          <LinearProgress
            variant="determinate"
            value={Math.min(100, (cache.data.bytes / Math.max(1, cache.data.limit)) * 100)}
            aria-label="Taken"
            sx={{ height: 6 }}
          />
          <Stack direction="row" sx={{ alignItems: "center" }}>
            <Typography variant="body2" sx={{ flex: 1 }}>
              {bytes(cache.data.bytes)} of {bytes(cache.data.limit)}
              {cache.data.free != null && `; the disk has ${bytes(cache.data.free)} free`}
            </Typography>
            <Button disabled={clear.isPending || cache.data.bytes === 0} onClick={() => clear.mutate()}>
              Throw them away
            </Button>
          </Stack>
        </>
      )}
    </Panel>
  );
}

const DEVICES = ["devices"];

/** How often it is asked whether a shop's order could be taken by now, in milliseconds. */
const LOOK_AGAIN = 10_000;

function Outside() {
  const devices = useQuery({
    queryKey: DEVICES,
    queryFn: () => answered(api.GET("/api/v1/devices")),
    refetchInterval: (query) => (query.state.data?.troubles.length ? LOOK_AGAIN : false),
  });
  if (!devices.data) return null;
  const { inbox, shop, printer, troubles } = devices.data;
  return (
    <Panel title="Outside" about="What this installation takes files and orders from, and sends results to.">
      <Box
        component="dl"
        sx={{
          m: 0,
          display: "grid",
          gridTemplateColumns: "80px 1fr",
          gap: "6px 12px",
          typography: "body2",
          "& dd": { m: 0, overflowWrap: "anywhere" },
          "& dt": { color: "text.secondary" },
        }}
      >
        <dt>Scans</dt>
        <dd>
          {inbox}
          <Typography variant="caption" component="div" sx={{ color: "text.secondary" }}>
            What is put into its folder of an order&rsquo;s number comes into that order.
          </Typography>
        </dd>
        <dt>Shop</dt>
        <dd>{shop ?? "none; the server takes --shop ADDRESS"}</dd>
        <dt>Printer</dt>
        <dd>{printer ?? "none; the server takes --printer ADDRESS"}</dd>
      </Box>
      {troubles.length > 0 && <ShopTroubles troubles={troubles} />}
    </Panel>
  );
}

/** Orders of the shop that could not be taken. */
function ShopTroubles({ troubles }: { troubles: Trouble[] }) {
  const client = useQueryClient();
  const retry = useMutation({
    mutationFn: () => answered(api.POST("/api/v1/devices/shop/retry")),
    // The shop is asked every few seconds: the answer is there a little later.
    onSettled: () => setTimeout(() => client.invalidateQueries({ queryKey: DEVICES }), LOOK_AGAIN / 2),
  });
  return (
    <Alert
      severity="warning"
      action={
        <Button color="inherit" size="small" disabled={retry.isPending} onClick={() => retry.mutate()}>
          Try again
        </Button>
      }
    >
      {counted(troubles.length, "order")} of the shop could not be taken:
      <Box component="ul" sx={{ m: 0, pl: 2 }}>
        {troubles.map((t) => (
          <li key={t.reference}>
            {t.reference}: {t.reason}; tried {t.tries === 1 ? "once" : `${t.tries} times`}, again in{" "}
            {duration(t.again_in_seconds)}
          </li>
        ))}
      </Box>
      {retry.isError && sentence(retry.error)}
    </Alert>
  );
}
