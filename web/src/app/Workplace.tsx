/** The frame: views, and which order and picture they show. */

import { Box, Button, Snackbar, Stack, Typography } from "@mui/material";
import { useQueryClient } from "@tanstack/react-query";
import { Suspense, lazy, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Original } from "../api/client";
import { useEvents, useInstruct, useModels, useOrder, useOrders, useTakeOut } from "../api/queries";
import { Bench } from "../bench/Bench";
import { FilePicker } from "../bench/FilePicker";
import { TRAY_WIDTH, Tray } from "../bench/Tray";
import { useImports } from "../bench/importing";
import { OrderDialog } from "../orders/OrderDialog";
import { Orders } from "../orders/Orders";
import { RunSheet } from "../runs/RunSheet";
import { Settings } from "../settings/Settings";
import { type ThemeName } from "../look/tokens";
import { CommandSearch } from "./CommandSearch";
import { DropArea } from "./DropArea";
import { Empty } from "./Empty";
import { Guide } from "./Guide";
import { AfterFirstLook } from "./FirstLook";
import { HEADER_HEIGHT, Header } from "./Header";
import { MessageLog } from "./MessageLog";
import { Notices } from "./Notices";
import { Shortcuts } from "./Shortcuts";
import { useOnDesk } from "./desk";
import { useKept } from "./kept";
import { useCommandKeys } from "./keymap";
import { note } from "./messages";
import type { ViewName } from "./place";
import { tellWhenDone } from "./tellWhenDone";
import { useWhereabouts } from "./whereabouts";

/** The views in which an order's pictures are seen. */
const PICTURES: ViewName[] = ["orders", "bench", "strip"];

/** The views of one picture, which keep their state while others are shown. */
const OF_A_PICTURE: ViewName[] = ["bench", "strip"];

const GuideBook = lazy(() => import("../guide/GuideBook").then((module) => ({ default: module.GuideBook })));
// With its charts it is half of the program, and the bench does without.
const Shelf = lazy(() => import("../shelf/Shelf").then((module) => ({ default: module.Shelf })));

const LOST = "That picture is not in this order, or was taken out of it.";

/** What lies over the views. */
type Sheet = "new-order" | "keys" | "search" | "messages" | "guide";

export function Workplace(props: { themeName: ThemeName; onTheme: () => void }) {
  const client = useQueryClient();
  const orders = useOrders();
  const models = useModels();
  const where = useWhereabouts(orders.data);
  const { view, order, go } = where;
  const contents = useOrder(where.nowhere ? undefined : order);
  const originals = contents.data?.originals ?? [];
  const named = originals.find((o) => o.id === where.picture);
  const original = named ?? originals[0];
  const lost = where.exact && contents.data !== undefined && !named && originals.length > 0;
  const [notify, setNotify] = useNotify();
  const [sheet, setSheet] = useState<Sheet>();
  const [guide, setGuide] = useKept("guide", true);
  const picker = useRef<HTMLInputElement>(null);
  useEvents(order, (job) => {
    if (notify) void tellWhenDone(client, job);
  });
  const instruct = useInstruct();
  const select = useCallback(
    (id: number) => go({ picture: id, view: view === "strip" ? "strip" : "bench" }),
    [go, view],
  );
  const arrived = useCallback((id: number) => go({ picture: id }), [go]);
  const imports = useImports(order, arrived);
  const offered = useMemo(() => models.data?.filter((m) => !m.retired) ?? [], [models.data]);

  // The bench's address names its picture, so that it can be passed on.
  const ofPicture = view !== undefined && OF_A_PICTURE.includes(view);
  useEffect(() => {
    if (ofPicture && !where.exact && original) go({ picture: original.id }, { replace: true });
  }, [ofPicture, where.exact, original, go]);
  useNotes(imports.notices);

  const at = originals.findIndex((o) => o.id === original?.id);
  const takingOut = useTakingOut(order, originals, go);

  useCommandKeys();
  useOnDesk("frame", {
    go: (to) => go({ view: to }),
    step:
      originals.length > 1
        ? (by) => select(originals[(at + by + originals.length) % originals.length]?.id ?? 0)
        : undefined,
    newOrder: () => setSheet("new-order"),
    addPictures: order === undefined ? undefined : () => picker.current?.click(),
    changeTheme: props.onTheme,
    showKeys: () => setSheet("keys"),
    showMessages: () => setSheet("messages"),
    showGuide: () => {
      setGuide(true);
      go({ view: "bench" });
    },
    openGuide: () => setSheet("guide"),
    search: () => setSheet("search"),
  });

  return (
    <DropArea onFiles={imports.add}>
      <AfterFirstLook height={HEADER_HEIGHT}>
        <Header
          {...props}
          orders={orders.data ?? []}
          order={order}
          picture={original?.id}
          onOrder={(id) => go({ order: id, view: view && PICTURES.includes(view) ? view : "bench" })}
          view={view}
          onView={(to) => go({ view: to, picture: original?.id })}
          onShortcuts={() => setSheet("keys")}
          onSearch={() => setSheet("search")}
        />
      </AfterFirstLook>
      <Notices
        // What was said of an order's files is said where its pictures are.
        notices={view && PICTURES.includes(view) ? imports.notices.filter((n) => n.order === order) : []}
        error={orders.error ?? (where.nowhere ? undefined : contents.error) ?? models.error}
        onClose={imports.dismiss}
      />
      {guide && view === "bench" && original && <Guide onClose={() => setGuide(false)} />}
      {(where.nowhere ?? lost) && (
        <Nowhere
          text={where.nowhere ?? LOST}
          onOrders={() => go({ view: "orders", order: where.nowhere ? orders.data?.[0]?.id : order })}
        />
      )}
      {view === "orders" && orders.data && !where.nowhere && (
        <Orders
          orders={orders.data}
          contents={contents.data}
          onOrder={(id) => go({ view: "orders", order: id })}
          onShow={(id) => go({ view: "bench", picture: id })}
          onAdd={imports.add}
          onRuns={() => go({ view: "runs" })}
        />
      )}
      {view === "runs" && (
        <RunSheet
          orders={orders.data ?? []}
          notify={notify}
          onNotify={setNotify}
          onShow={(of, id) => go({ view: "bench", order: of, picture: id })}
        />
      )}
      {view === "shelf" && models.data && (
        <Suspense fallback={<Box sx={{ flex: 1 }} aria-busy="true" />}>
          <Shelf models={models.data} />
        </Suspense>
      )}
      {view === "settings" && models.data && <Settings models={models.data} />}
      <Box
        sx={{
          flex: 1,
          minHeight: 0,
          display: (ofPicture && !where.nowhere && !lost) || !view ? "flex" : "none",
        }}
      >
        {contents.data && originals.length + imports.arriving.length > 0 && (
          <AfterFirstLook width={TRAY_WIDTH}>
            <Tray
              contents={contents.data}
              selected={original?.id}
              arriving={imports.arriving}
              onSelect={select}
              onAdd={imports.add}
            />
          </AfterFirstLook>
        )}
        {contents.data && original && models.data ? (
          <Bench
            key={original.id}
            original={original}
            contents={contents.data}
            models={offered}
            strip={view === "strip"}
            active={ofPicture}
            onBench={() => view !== "bench" && go({ view: "bench", picture: original.id })}
            onCancel={(id) => instruct.mutate({ jobs: [id], do: "cancel" })}
            onRemove={() => takingOut.takeOut(original)}
          />
        ) : (
          !where.nowhere && (
            <Empty
              loading={orders.isLoading || contents.isLoading || models.isLoading}
              orders={orders.data}
              onNewOrder={() => setSheet("new-order")}
              onAdd={imports.add}
            />
          )
        )}
      </Box>
      <Sheets sheet={sheet} onSheet={setSheet} go={go} />
      <FilePicker ref={picker} onFiles={imports.add} />
      <PutBack {...takingOut} />
    </DropArea>
  );
}

/** Whether the system tells when a run is done; it is asked whether it may. */
function useNotify(): [boolean, (on: boolean) => void] {
  const [notify, keep] = useKept("notify", false);
  const set = (on: boolean) => {
    keep(on);
    if (on && "Notification" in window) void Notification.requestPermission();
  };
  return [notify, set];
}

/** Writes down what is said of files that arrive. */
function useNotes(notices: ReturnType<typeof useImports>["notices"]) {
  const told = useRef(0);
  useEffect(() => {
    for (const { key, name, text, refused } of notices) {
      if (key <= told.current) continue;
      note(text, { about: name, refused });
    }
    told.current = Math.max(told.current, ...notices.map(({ key }) => key));
  }, [notices]);
}

type Go = ReturnType<typeof useWhereabouts>["go"];

/** Pictures that are taken out of an order, and put back. */
function useTakingOut(order: number | undefined, originals: Original[], go: Go) {
  const [removed, setRemoved] = useState<Original>();
  const change = useTakeOut(order);
  const putBack = (original: Original) =>
    change.mutate(
      { these: [original.id], back: true },
      {
        onSuccess: () => {
          setRemoved(undefined);
          note("back in the order", { about: original.name });
          go({ picture: original.id });
        },
      },
    );
  const takeOut = (original: Original) =>
    change.mutate(
      { these: [original.id], back: false },
      {
        onSuccess: () => {
          setRemoved(original);
          note("out of the order; its file and results are kept", { about: original.name });
          // The address goes on to a picture that is there.
          const at = originals.findIndex((o) => o.id === original.id);
          const next = originals[at + 1] ?? originals[at - 1];
          if (next) go({ picture: next.id }, { replace: true });
        },
      },
    );
  return { removed, takeOut, putBack, onClose: () => setRemoved(undefined) };
}

function PutBack(props: { removed: Original | undefined; putBack: (original: Original) => void; onClose: () => void }) {
  const { removed } = props;
  return (
    <Snackbar
      open={removed !== undefined}
      autoHideDuration={12_000}
      onClose={(_, reason) => reason === "timeout" && props.onClose()}
      message={`${removed?.name ?? ""} is out of the order; its file and results are kept`}
      action={
        <Button color="inherit" onClick={() => removed && props.putBack(removed)}>
          Put back
        </Button>
      }
    />
  );
}

/** What lies over the views. */
function Sheets(props: { sheet: Sheet | undefined; onSheet: (sheet: Sheet | undefined) => void; go: Go }) {
  const { sheet, onSheet, go } = props;
  const close = () => onSheet(undefined);
  return (
    <>
      {sheet === "new-order" && (
        <OrderDialog
          onClose={close}
          onDone={({ id }) => {
            go({ view: "bench", order: id });
            close();
          }}
        />
      )}
      {sheet === "search" && <CommandSearch onClose={close} />}
      {sheet === "messages" && <MessageLog onClose={close} />}
      {sheet === "keys" && (
        <Shortcuts
          onClose={close}
          onGuide={() => onSheet("guide")}
          onChange={() => {
            close();
            go({ view: "settings" });
          }}
        />
      )}
      {sheet === "guide" && (
        <Suspense>
          <GuideBook onClose={close} />
        </Suspense>
      )}
    </>
  );
}

/** An address that leads to nothing. */
function Nowhere(props: { text: string; onOrders: () => void }) {
  return (
    <Stack component="main" spacing={2} sx={{ flex: 1, alignItems: "center", justifyContent: "center", p: 4 }}>
      <Typography variant="h1" component="h2">
        {props.text}
      </Typography>
      <Button variant="contained" onClick={props.onOrders}>
        To the orders
      </Button>
    </Stack>
  );
}
