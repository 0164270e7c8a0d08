/** All orders as tickets, and the one that is open as a contact sheet. */

import AddIcon from "@mui/icons-material/Add";
import {
  Alert,
  Box,
  Button,
  ButtonBase,
  LinearProgress,
  MenuItem,
  Snackbar,
  Stack,
  TextField,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Order, type OrderContents, answered, api, sentence } from "../api/client";
import { keys } from "../api/queries";
import { VirtualRows } from "../app/VirtualRows";
import { useKept } from "../app/kept";
import { OrderDialog } from "./OrderDialog";
import { OrderSheet } from "./OrderSheet";
import { type Shelf, type Sorting, chosen, daysUntil, dueText, share, stateText, today } from "./words";

const SHELVES: [Shelf, string][] = [
  ["work", "In work"],
  ["look", "To see"],
  ["archive", "Archive"],
];

type Place = "current" | "archived" | "removed";

const TICKET_HEIGHT = 148;

export function Orders(props: {
  orders: Order[];
  contents?: OrderContents;
  onOrder: (id: number) => void;
  onShow: (original: number) => void;
  onAdd: (files: File[]) => void;
  onRuns: () => void;
}) {
  const client = useQueryClient();
  const [shelf, setShelf] = useKept<Shelf>("orders-shelf", "work");
  const [sorting, setSorting] = useKept<Sorting>("orders-sorting", "due");
  const [text, setText] = useState("");
  const [dialog, setDialog] = useState<"new" | Order>();
  const [moved, setMoved] = useState<{ order: Order; from: Place; to: Place }>();
  const shown = chosen(props.orders, shelf, text, sorting);

  const shelve = useMutation({
    mutationFn: ({ order, to }: { order: Order; from: Place; to: Place }) =>
      answered(api.POST("/api/v1/orders/{id}/shelve", { params: { path: { id: order.id } }, body: { to } })),
    onSuccess: (_, asked) => setMoved(asked),
    onSettled: () => client.invalidateQueries({ queryKey: keys.orders }),
  });
  const place = (order: Order): Place => (order.archived_at ? "archived" : "current");
  const open = props.contents?.order;

  return (
    <Box component="main" aria-label="Orders" sx={{ flex: 1, minHeight: 0, display: "flex" }}>
      <Stack sx={{ width: { xs: 264, md: 372 }, flexShrink: 0, borderRight: 1, borderColor: "divider", minHeight: 0 }}>
        <Stack spacing={1} sx={{ p: 1.5, borderBottom: 1, borderColor: "divider" }}>
          <Stack direction="row" spacing={1}>
            <TextField
              value={text}
              placeholder="Title, client, notes"
              slotProps={{ htmlInput: { "aria-label": "Search orders" } }}
              sx={{ flex: 1 }}
              onChange={(e) => setText(e.target.value)}
            />
            <Button variant="contained" startIcon={<AddIcon />} onClick={() => setDialog("new")}>
              New order
            </Button>
          </Stack>
          <Stack direction="row" spacing={1} useFlexGap sx={{ alignItems: "center", flexWrap: "wrap" }}>
            <ToggleButtonGroup
              exclusive
              value={shelf}
              aria-label="Which orders"
              onChange={(_, to: Shelf | null) => to && setShelf(to)}
            >
              {SHELVES.map(([value, name]) => (
                <ToggleButton key={value} value={value} sx={{ whiteSpace: "nowrap" }}>
                  {name}
                </ToggleButton>
              ))}
            </ToggleButtonGroup>
            <TextField
              select
              variant="standard"
              value={sorting}
              slotProps={{ htmlInput: { "aria-label": "Sorted by" } }}
              onChange={(e) => setSorting(e.target.value as Sorting)}
              sx={{ ml: "auto !important", minWidth: 116 }}
            >
              <MenuItem value="due">by due date</MenuItem>
              <MenuItem value="newest">newest first</MenuItem>
              <MenuItem value="title">by title</MenuItem>
            </TextField>
          </Stack>
        </Stack>
        {shelve.isError && <Alert severity="error">{sentence(shelve.error)}</Alert>}
        {shown.length === 0 && (
          <Typography variant="body2" sx={{ p: 2, color: "text.secondary" }}>
            {props.orders.length === 0
              ? "No order yet. An order holds the pictures of one job: open the first one, then drop photographs on it."
              : text !== ""
                ? `No order here holds "${text}".`
                : shelf === "look"
                  ? "Nothing is waiting to be looked through."
                  : shelf === "archive"
                    ? "The archive is empty."
                    : "No order is in work."}
          </Typography>
        )}
        <VirtualRows
          label="Orders"
          count={shown.length}
          heightOf={() => TICKET_HEIGHT}
          keyOf={(index) => shown[index]?.id ?? index}
        >
          {(index) => {
            const order = shown[index];
            return (
              order && <OrderTicket order={order} open={order.id === open?.id} onOpen={() => props.onOrder(order.id)} />
            );
          }}
        </VirtualRows>
      </Stack>
      {props.contents ? (
        <OrderSheet
          key={props.contents.order.id}
          contents={props.contents}
          onShow={props.onShow}
          onAdd={props.onAdd}
          onRuns={props.onRuns}
          onChange={() => props.contents && setDialog(props.contents.order)}
          onArchive={() => {
            const order = props.contents?.order;
            if (order) shelve.mutate({ order, from: place(order), to: order.archived_at ? "current" : "archived" });
          }}
          onRemove={() => {
            const order = props.contents?.order;
            if (order) shelve.mutate({ order, from: place(order), to: "removed" });
          }}
        />
      ) : (
        <Box sx={{ flex: 1 }} />
      )}
      {dialog && (
        <OrderDialog
          order={dialog === "new" ? undefined : dialog}
          onClose={() => setDialog(undefined)}
          onDone={(order) => {
            props.onOrder(order.id);
            setShelf("work");
            setDialog(undefined);
          }}
        />
      )}
      <Snackbar
        open={moved !== undefined}
        autoHideDuration={12_000}
        onClose={(_, reason) => reason === "timeout" && setMoved(undefined)}
        message={
          moved &&
          `${moved.order.title} is ${moved.to === "removed" ? "off the list; Settings can put it back later" : moved.to === "archived" ? "in the archive" : "in work again"}`
        }
        action={
          <Button
            color="inherit"
            onClick={() => {
              if (moved) shelve.mutate({ order: moved.order, from: moved.to, to: moved.from });
              setMoved(undefined);
            }}
          >
            Undo
          </Button>
        }
      />
    </Box>
  );
}

function OrderTicket({ order, open, onOpen }: { order: Order; open: boolean; onOpen: () => void }) {
  const now = today();
  const late = order.due_on != null && !order.archived_at && daysUntil(order.due_on, now) <= 1;
  return (
    <ButtonBase
      onClick={onOpen}
      aria-current={open}
      sx={{
        display: "block",
        width: "100%",
        height: "100%",
        textAlign: "left",
        px: 1.5,
        py: 1.25,
        borderBottom: 1,
        borderColor: "divider",
        bgcolor: open ? "background.paper" : "transparent",
        boxShadow: (t) => (open ? `inset 3px 0 0 ${t.palette.primary.main}` : "none"),
      }}
    >
      <Stack direction="row" spacing={1} sx={{ alignItems: "baseline" }}>
        <Typography noWrap sx={{ fontWeight: "fontWeightBold", flex: 1 }}>
          {order.title}
        </Typography>
        {order.due_on && (
          <Typography variant="caption" noWrap sx={{ color: late ? "error.main" : "text.secondary", flexShrink: 0 }}>
            {dueText(order.due_on, now)}
          </Typography>
        )}
      </Stack>
      <Typography variant="caption" noWrap component="div" sx={{ color: "text.secondary", minHeight: 19 }}>
        {[order.client, order.purpose, order.reference].filter(Boolean).join(", ")}
      </Typography>
      <Stack direction="row" spacing={0.5} sx={{ height: 48, my: 0.75, overflow: "hidden" }}>
        {order.first.slice(0, 6).map((id) => (
          <Box
            key={id}
            component="img"
            loading="lazy"
            src={`/api/v1/originals/${id}/thumbnail`}
            alt=""
            sx={{ width: 52, height: 48, objectFit: "cover", flexShrink: 0 }}
          />
        ))}
      </Stack>
      <LinearProgress
        variant="determinate"
        value={share(order.counts) * 100}
        aria-label={`${order.title}, done`}
        sx={{ height: 2, mb: 0.5, "& .MuiLinearProgress-bar": { bgcolor: "measured" } }}
      />
      <Typography variant="caption" noWrap component="div">
        {stateText(order.counts)}
      </Typography>
    </ButtonBase>
  );
}
