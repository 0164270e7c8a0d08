/** One order as a contact sheet: what is in it, what was chosen of it, and what is to be done with that. */

import { Box, Button, Divider, Menu, MenuItem, Snackbar, Stack, ToggleButton, Typography } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type MouseEvent, useMemo, useRef, useState } from "react";
import { type Enlargement, type OrderContents, answered, api, sentence } from "../api/client";
import { useTakeOut } from "../api/queries";
import { VirtualGrid } from "../app/VirtualRows";
import { counted } from "../app/format";
import { useKept } from "../app/kept";
import { FilePicker } from "../bench/FilePicker";
import { LookThrough } from "../runs/LookThrough";
import { BatchDialog } from "./BatchDialog";
import { EditDialog } from "./EditDialog";
import { ShareDialog } from "./ShareDialog";
import { picked } from "./picking";
import { dueText, today } from "./words";
import { Frame } from "./Frame";

export function OrderSheet(props: {
  contents: OrderContents;
  onShow: (original: number) => void;
  onAdd: (files: File[]) => void;
  onRuns: () => void;
  onChange: () => void;
  onArchive: () => void;
  onRemove: () => void;
}) {
  const { contents } = props;
  const { order, originals } = contents;
  const client = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [selected, setSelected] = useState<number[]>([]);
  const [last, setLast] = useState<number>();
  const [dialog, setDialog] = useState<"edit" | "batch" | "share">();
  const [looking, setLooking] = useState(false);
  const [menu, setMenu] = useState<HTMLElement>();
  const [said, setSaid] = useState<{ text: string; undo?: () => Promise<unknown> }>();
  const ids = useMemo(() => originals.map((o) => o.id), [originals]);
  const chosen = selected.filter((id) => ids.includes(id));
  const what = chosen.length === 0 || chosen.length === ids.length ? "all" : `${chosen.length}`;
  const [both, setBoth] = useKept("before-and-after", false);
  const results = useMemo(() => byOriginal(contents.enlargements), [contents.enlargements]);
  // Of several jobs, the first listed is the latest.
  const lastJobs = useMemo(
    () => new Map(contents.jobs.toReversed().map((job) => [job.original_id, job])),
    [contents.jobs],
  );
  const unseen = contents.enlargements.filter((e) => e.verdict == null);
  const going = contents.enlargements.filter((e) => e.verdict === "accepted");

  const pick = (id: number, e: MouseEvent) => {
    setSelected(picked(ids, chosen, id, { range: e.shiftKey ? last : undefined }));
    setLast(id);
  };
  const path = { id: order.id };
  const devices = useQuery({ queryKey: ["devices"], queryFn: () => answered(api.GET("/api/v1/devices")) });
  const printings = useQuery({
    queryKey: ["printings", order.id],
    queryFn: () => answered(api.GET("/api/v1/orders/{id}/printings", { params: { path } })),
    // The printer is asked what became of what is in its queue.
    refetchInterval: (query) => (query.state.data?.some((p) => p.state === "accepted") ? 3000 : false),
  });
  const print = useMutation({
    mutationFn: async (results: number[]) => {
      for (const id of results) {
        await answered(api.POST("/api/v1/enlargements/{id}/print", { params: { path: { id } } }));
      }
    },
    onError: (error) => setSaid({ text: sentence(error) }),
    onSettled: () => client.invalidateQueries({ queryKey: ["printings", order.id] }),
  });
  const takeOut = useTakeOut(order.id, (error) => setSaid({ text: sentence(error) }));

  return (
    <Stack component="section" aria-label="Order" sx={{ flex: 1, minWidth: 0, minHeight: 0 }}>
      <Stack spacing={1} sx={{ px: 2.5, pt: 2, pb: 1.5, borderBottom: 1, borderColor: "divider" }}>
        <Stack
          direction="row"
          spacing={1.5}
          useFlexGap
          sx={{ alignItems: "baseline", flexWrap: { xs: "wrap", md: "nowrap" } }}
        >
          <Typography variant="h1" component="h2" noWrap>
            {order.title}
          </Typography>
          <Typography variant="body2" noWrap sx={{ color: "text.secondary", flex: 1, minWidth: 0 }}>
            {[order.client, order.purpose, order.due_on && dueText(order.due_on, today())].filter(Boolean).join(", ")}
          </Typography>
          <Button onClick={props.onChange}>About this order</Button>
          <Button aria-haspopup="menu" onClick={(e) => setMenu(e.currentTarget)}>
            More
          </Button>
        </Stack>
        <Typography variant="body2">
          Pictures become <strong>{order.print_in_words}</strong> unless they say otherwise
          {order.least_ppi != null && <>; at least {order.least_ppi} ppi of their own is wanted</>}.
          {order.notes && (
            <Box component="span" sx={{ color: "text.secondary", ml: 1 }}>
              {order.notes.length > 140 ? `${order.notes.slice(0, 140)}…` : order.notes}
            </Box>
          )}
        </Typography>
        <Stack
          direction="row"
          spacing={1}
          useFlexGap
          sx={{ alignItems: "center", flexWrap: "wrap", ml: "-5px !important" }}
        >
          <Button
            color="inherit"
            disabled={ids.length === 0}
            onClick={() => setSelected(chosen.length === ids.length ? [] : ids)}
          >
            {chosen.length === ids.length && ids.length > 0 ? "Choose none" : "Choose all"}
          </Button>
          <Typography variant="body2" sx={{ color: "text.secondary", minWidth: 92 }} aria-live="polite">
            {chosen.length === 0 ? counted(ids.length, "picture") : `${chosen.length} of ${ids.length} chosen`}
          </Typography>
          <Button onClick={() => input.current?.click()}>Add pictures</Button>
          <FilePicker ref={input} onFiles={props.onAdd} />
          <Button disabled={ids.length === 0} onClick={() => setDialog("edit")}>
            Change {what}
          </Button>
          <Button
            disabled={chosen.length === 0}
            onClick={() => {
              const these = chosen;
              takeOut.mutate({ these, back: false });
              setSelected([]);
              setSaid({
                text: `${these.length} ${these.length === 1 ? "picture is" : "pictures are"} out of the order; files and results are kept`,
                undo: () => takeOut.mutateAsync({ these, back: true }),
              });
            }}
          >
            Take out
          </Button>
          <Box sx={{ flex: 1 }} />
          <ToggleButton
            value="both"
            selected={both}
            disabled={contents.enlargements.length === 0}
            onChange={() => setBoth(!both)}
          >
            Before and after
          </ToggleButton>
          <Button disabled={unseen.length === 0} onClick={() => setLooking(true)}>
            Look through{unseen.length > 0 && ` (${unseen.length})`}
          </Button>
          <Button
            variant="contained"
            disabled={ids.length === 0}
            onClick={() => setDialog("batch")}
            data-testid="batch"
          >
            Run {what}
          </Button>
        </Stack>
      </Stack>
      {originals.length === 0 ? (
        <Stack
          spacing={1.5}
          sx={{ flex: 1, alignItems: "center", justifyContent: "center", p: 4, textAlign: "center" }}
        >
          <Typography variant="h2" component="p">
            This order is empty
          </Typography>
          <Typography sx={{ color: "text.secondary", maxWidth: 440 }}>
            Drop photographs, a folder or a zip archive anywhere on this page. Originals are never changed.
          </Typography>
          <Button variant="contained" onClick={() => input.current?.click()}>
            Choose pictures
          </Button>
        </Stack>
      ) : (
        <VirtualGrid
          label="Contact sheet"
          count={originals.length}
          least={both ? 300 : 196}
          height={FRAME_HEIGHT}
          keyOf={(i) => originals[i]?.id ?? i}
        >
          {(i) => {
            const original = originals[i];
            return (
              original && (
                <Frame
                  original={original}
                  selected={chosen.includes(original.id)}
                  job={lastJobs.get(original.id)}
                  results={results.get(original.id) ?? NO_RESULTS}
                  both={both}
                  printings={printings.data}
                  onPick={(e) => pick(original.id, e)}
                  onShow={() => props.onShow(original.id)}
                />
              )
            );
          }}
        </VirtualGrid>
      )}
      <Menu
        anchorEl={menu}
        open={menu !== undefined}
        onClose={() => setMenu(undefined)}
        onClick={() => setMenu(undefined)}
      >
        <MenuItem component="a" href={`/api/v1/orders/${order.id}/delivery.zip`} disabled={going.length === 0}>
          Deliver as zip, with report ({going.length} accepted)
        </MenuItem>
        <MenuItem
          component="a"
          href={`/api/v1/orders/${order.id}/report.pdf?which=all`}
          disabled={contents.enlargements.length === 0}
        >
          Report as PDF
        </MenuItem>
        <MenuItem
          component="a"
          href={`/api/v1/orders/${order.id}/report.html?which=all`}
          target="_blank"
          disabled={contents.enlargements.length === 0}
        >
          Report as a page
        </MenuItem>
        {devices.data?.printer && (
          <MenuItem
            disabled={going.length === 0 || print.isPending}
            onClick={() => print.mutate(going.map((e) => e.id))}
          >
            Send {going.length} accepted to the printer
          </MenuItem>
        )}
        <MenuItem disabled={contents.enlargements.length === 0} onClick={() => setDialog("share")}>
          A link for the client
        </MenuItem>
        <Divider />
        <MenuItem onClick={props.onArchive}>{order.archived_at ? "Back into work" : "Into the archive"}</MenuItem>
        <MenuItem onClick={props.onRemove}>Remove this order</MenuItem>
      </Menu>
      {dialog === "edit" && (
        <EditDialog
          order={order}
          originals={chosen.length > 0 ? chosen : ids}
          onClose={() => setDialog(undefined)}
          onDone={(text, undo) => {
            setDialog(undefined);
            setSaid({ text, undo });
          }}
        />
      )}
      {dialog === "batch" && (
        <BatchDialog
          order={order}
          originals={chosen.length > 0 ? chosen : ids}
          onClose={() => setDialog(undefined)}
          onQueued={(count) => {
            setDialog(undefined);
            setSelected([]);
            setSaid({ text: `${count} ${count === 1 ? "result is" : "results are"} on the run sheet` });
          }}
        />
      )}
      {dialog === "share" && <ShareDialog order={order} onClose={() => setDialog(undefined)} />}
      {looking && <LookThrough contents={contents} onClose={() => setLooking(false)} onShow={props.onShow} />}
      <Snackbar
        open={said !== undefined}
        autoHideDuration={12_000}
        onClose={(_, reason) => reason === "timeout" && setSaid(undefined)}
        message={said?.text}
        action={
          said?.undo ? (
            <Button
              color="inherit"
              onClick={() => {
                void said.undo?.();
                setSaid(undefined);
              }}
            >
              Undo
            </Button>
          ) : (
            <Button color="inherit" onClick={props.onRuns}>
              Show the run sheet
            </Button>
          )
        }
      />
    </Stack>
  );
}

function byOriginal(results: Enlargement[]): Map<number, Enlargement[]> {
  const found = new Map<number, Enlargement[]>();
  for (const result of results) {
    const others = found.get(result.original_id);
    if (others) others.push(result);
    else found.set(result.original_id, [result]);
  }
  return found;
}

/** Height of a frame on the contact sheet, in pixels. */
const FRAME_HEIGHT = 232;
const NO_RESULTS: Enlargement[] = [];
