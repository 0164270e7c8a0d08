/** One order as a contact sheet: what is in it, what was chosen of it, and what is to be done with that. */

import { Button, Snackbar, Stack, Typography } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { type MouseEvent, useCallback, useMemo, useRef, useState } from "react";
import { type Enlargement, type OrderContents, answered, api, sentence } from "../api/client";
import { useTakeOut } from "../api/queries";
import { VirtualGrid } from "../app/VirtualRows";
import { useKept } from "../app/kept";
import { FilePicker } from "../bench/FilePicker";
import { LookThrough } from "../runs/LookThrough";
import { BatchDialog } from "./BatchDialog";
import { EditDialog } from "./EditDialog";
import { ShareDialog } from "./ShareDialog";
import { picked } from "./picking";
import { Frame } from "./Frame";
import { OrderActions } from "./OrderActions";
import { OrderHead } from "./OrderHead";
import { OrderMenu } from "./OrderMenu";

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
  const [selected, setSelected] = useState<number[]>([]);
  const last = useRef<number>(undefined);
  const [dialog, setDialog] = useState<"edit" | "batch" | "share">();
  const [looking, setLooking] = useState(false);
  const [menu, setMenu] = useState<HTMLElement>();
  const [said, setSaid] = useState<Words>();
  const ids = useMemo(() => originals.map((o) => o.id), [originals]);
  const chosen = selected.filter((id) => ids.includes(id));
  const [both, setBoth] = useKept("before-and-after", false);
  const results = useMemo(() => byOriginal(contents.enlargements), [contents.enlargements]);
  // Of several jobs, the first listed is the latest.
  const lastJobs = useMemo(
    () => new Map(contents.jobs.toReversed().map((job) => [job.original_id, job])),
    [contents.jobs],
  );

  // The same function while the sheet is scrolled, so that frames that are there are not drawn anew.
  const pick = useCallback(
    (id: number, e: MouseEvent) => {
      const range = e.shiftKey ? last.current : undefined;
      setSelected((were) =>
        picked(
          ids,
          were.filter((one) => ids.includes(one)),
          id,
          { range },
        ),
      );
      last.current = id;
    },
    [ids],
  );
  const path = { id: order.id };
  const printings = useQuery({
    queryKey: ["printings", order.id],
    queryFn: () => answered(api.GET("/api/v1/orders/{id}/printings", { params: { path } })),
    // The printer is asked what became of what is in its queue.
    refetchInterval: (query) => (query.state.data?.some((p) => p.state === "accepted") ? 3000 : false),
  });
  const takeOut = useTakeOut(order.id, (error) => setSaid({ text: sentence(error) }));
  const takeOutChosen = () => {
    const these = chosen;
    takeOut.mutate({ these, back: false });
    setSelected([]);
    setSaid({
      text: `${these.length} ${these.length === 1 ? "picture is" : "pictures are"} out of the order; files and results are kept`,
      undo: () => takeOut.mutateAsync({ these, back: true }),
    });
  };

  return (
    <Stack component="section" aria-label="Order" sx={{ flex: 1, minWidth: 0, minHeight: 0 }}>
      <Stack spacing={1} sx={{ px: 2.5, pt: 2, pb: 1.5, borderBottom: 1, borderColor: "divider" }}>
        <OrderHead order={order} onChange={props.onChange} onMore={setMenu} />
        <OrderActions
          count={ids.length}
          chosen={chosen.length}
          results={contents.enlargements.length}
          unseen={contents.enlargements.filter((e) => e.verdict == null).length}
          both={both}
          onBoth={() => setBoth(!both)}
          onChooseAll={(all) => setSelected(all ? ids : [])}
          onAdd={props.onAdd}
          onEdit={() => setDialog("edit")}
          onTakeOut={takeOutChosen}
          onLookThrough={() => setLooking(true)}
          onRun={() => setDialog("batch")}
        />
      </Stack>
      {originals.length === 0 ? (
        <EmptyOrder onAdd={props.onAdd} />
      ) : (
        <VirtualGrid
          label="Contact sheet"
          count={originals.length}
          least={both ? 300 : 196}
          height={FRAME_HEIGHT}
          keyOf={(i) => originals[i]?.id ?? i}
        >
          {(i, hurried) => {
            const original = originals[i];
            return (
              original && (
                <Frame
                  original={original}
                  selected={chosen.includes(original.id)}
                  job={lastJobs.get(original.id)}
                  results={results.get(original.id) ?? NO_RESULTS}
                  both={both}
                  hurried={hurried}
                  printings={printings.data}
                  onPick={pick}
                  onShow={props.onShow}
                />
              )
            );
          }}
        </VirtualGrid>
      )}
      <OrderMenu
        contents={contents}
        anchor={menu}
        onClose={() => setMenu(undefined)}
        onShare={() => setDialog("share")}
        onArchive={props.onArchive}
        onRemove={props.onRemove}
        onError={(error) => setSaid({ text: sentence(error) })}
      />
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
      <Said said={said} onClose={() => setSaid(undefined)} onRuns={props.onRuns} />
    </Stack>
  );
}

/** What was done, and how it is taken back. */
type Words = { text: string; undo?: () => Promise<unknown> };

function Said(props: { said: Words | undefined; onClose: () => void; onRuns: () => void }) {
  const { said } = props;
  return (
    <Snackbar
      open={said !== undefined}
      autoHideDuration={12_000}
      onClose={(_, reason) => reason === "timeout" && props.onClose()}
      message={said?.text}
      action={
        said?.undo ? (
          <Button
            color="inherit"
            onClick={() => {
              void said.undo?.();
              props.onClose();
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
  );
}

function EmptyOrder(props: { onAdd: (files: File[]) => void }) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <Stack spacing={1.5} sx={{ flex: 1, alignItems: "center", justifyContent: "center", p: 4, textAlign: "center" }}>
      <Typography variant="h2" component="p">
        This order is empty
      </Typography>
      <Typography sx={{ color: "text.secondary", maxWidth: 440 }}>
        Drop photographs, a folder or a zip archive anywhere on this page. Originals are never changed.
      </Typography>
      <Button variant="contained" onClick={() => input.current?.click()}>
        Choose pictures
      </Button>
      <FilePicker ref={input} onFiles={props.onAdd} />
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
