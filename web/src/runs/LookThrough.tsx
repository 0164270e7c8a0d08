/** Results one after the other, each at its spots before and after: accept, or send back with a note. */

import { Box, Button, LinearProgress, Stack, TextField, Typography } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Enlargement, type Look, type OrderContents, type Approval, answered, api, sentence } from "../api/client";
import { keys } from "../api/queries";
import { Tag } from "../app/Tag";
import { WholeScreen } from "../app/WholeScreen";
import { pixels } from "../app/format";
import { useOnDesk } from "../app/desk";
import { useKeyName } from "../app/keymap";
import { useRoom } from "../app/room";
import { IDENTITY } from "../stage/affine";
import { cutAround } from "../strip/cells";
import { STAGE_GROUND } from "../look/tokens";

const CUT = { width: 560, height: 340 };

export function LookThrough(props: {
  contents: OrderContents;
  onClose: () => void;
  onShow: (original: number) => void;
}) {
  const client = useQueryClient();
  const { contents } = props;
  // Fixed at the start, so that what was judged can be gone back to.
  const [results] = useState(() => [...contents.enlargements].filter((e) => e.verdict == null).reverse());
  const [at, setAt] = useState(0);
  const [spot, setSpot] = useState(0);
  const [note, setNote] = useState<string>();
  const result = results[at];
  const now = contents.enlargements.find((e) => e.id === result?.id) ?? result;
  const look = useLook(result?.id);
  // What comes next is asked for now, so that it is there when it is looked at.
  useLook(results[at + 1]?.id);
  const spots = look.data?.spots ?? [];
  const go = (to: number) => {
    setAt(Math.max(0, Math.min(results.length, to)));
    setSpot(0);
    setNote(undefined);
  };
  const judge = useMutation({
    mutationFn: ({ id, verdict, note }: { id: number; verdict: Approval | null; note: string }) =>
      answered(api.POST("/api/v1/enlargements/{id}/verdict", { params: { path: { id } }, body: { verdict, note } })),
    onSettled: () => {
      void client.invalidateQueries({ queryKey: keys.order(contents.order.id) });
      void client.invalidateQueries({ queryKey: keys.orders });
    },
  });
  const accept = () => {
    if (!result) return;
    judge.mutate({ id: result.id, verdict: "accepted", note: "" });
    go(at + 1);
  };
  const sendBack = () => {
    if (!result) return;
    judge.mutate({ id: result.id, verdict: "sent_back", note: note ?? "" });
    go(at + 1);
  };

  const key = useKeyName();
  useOnDesk("look", {
    accept: result && accept,
    sendBack: result && (() => setNote("")),
    step: (by) => go(at + by),
    spots: spots.length,
    goToSpot: setSpot,
    stepSpot: (by) => setSpot(Math.max(0, Math.min(spots.length - 1, spot + by))),
  });

  return (
    <WholeScreen label="Look through" onClose={props.onClose}>
      <Stack
        direction="row"
        spacing={2}
        sx={{ px: 2.5, py: 1.25, alignItems: "center", borderBottom: 1, borderColor: "divider" }}
      >
        <Typography variant="h1" component="h2">
          Look through
        </Typography>
        <Typography variant="body2" sx={{ color: "text.secondary", flex: 1 }}>
          {Math.min(at + 1, results.length)} of {results.length} in {contents.order.title}. {key("accept")} accepts,{" "}
          {key("send-back")} sends back, {key("previous-result")} and {key("next-result")} go on, {key("its-spot-1")} to{" "}
          {key("its-spot-8")} go to a spot.
        </Typography>
        <Button onClick={props.onClose}>Close</Button>
      </Stack>
      <LinearProgress
        variant="determinate"
        value={(at / Math.max(1, results.length)) * 100}
        aria-label="Looked through"
        sx={{ height: 2 }}
      />
      {!result || !now ? (
        <Stack spacing={2} sx={{ flex: 1, alignItems: "center", justifyContent: "center" }}>
          <Typography variant="h1" component="p">
            That was all
          </Typography>
          <Typography sx={{ color: "text.secondary" }}>
            {contents.enlargements.filter((e) => e.verdict === "accepted").length} accepted,{" "}
            {contents.enlargements.filter((e) => e.verdict === "sent_back").length} sent back.
          </Typography>
          <Stack direction="row" spacing={1}>
            {results.length > 0 && <Button onClick={() => go(results.length - 1)}>Back to the last</Button>}
            <Button variant="contained" onClick={props.onClose}>
              Close
            </Button>
          </Stack>
        </Stack>
      ) : (
        <>
          <Box sx={{ flex: 1, minHeight: 0, display: "flex", bgcolor: STAGE_GROUND }}>
            {look.data ? <Pair look={look.data} result={now} spot={spot} /> : <Box sx={{ flex: 1 }} aria-busy="true" />}
          </Box>
          <Stack
            direction="row"
            spacing={2}
            sx={{ px: 2.5, py: 1.25, alignItems: "center", borderTop: 1, borderColor: "divider" }}
          >
            <Box sx={{ minWidth: 0, flex: 1 }}>
              <Typography variant="subtitle2" noWrap>
                {now.file_name}
              </Typography>
              <Typography variant="caption" noWrap component="div" sx={{ color: "text.secondary" }}>
                {judge.isError ? sentence(judge.error) : told(now.record)}
              </Typography>
            </Box>
            <Stack direction="row" role="group" aria-label="Spots">
              {spots.map((s, i) => (
                <Button
                  key={i}
                  color={i === spot ? "primary" : "inherit"}
                  aria-pressed={i === spot}
                  onClick={() => setSpot(i)}
                >
                  {i + 1} {s.name}
                </Button>
              ))}
            </Stack>
            <Verdict
              note={note}
              onNote={setNote}
              onAccept={accept}
              onSendBack={sendBack}
              onBench={() => props.onShow(now.original_id)}
            />
          </Stack>
        </>
      )}
    </WholeScreen>
  );
}

/** Accepted, or sent back with a note of what is wrong. */
function Verdict(props: {
  /** While something is sent back. */
  note: string | undefined;
  onNote: (note: string | undefined) => void;
  onAccept: () => void;
  onSendBack: () => void;
  onBench: () => void;
}) {
  return props.note === undefined ? (
    <>
      <Button onClick={props.onBench}>Bench</Button>
      <Button variant="outlined" onClick={() => props.onNote("")}>
        Send back
      </Button>
      <Button variant="contained" onClick={props.onAccept} data-testid="accept">
        Accept
      </Button>
    </>
  ) : (
    <>
      <TextField
        autoFocus
        label="What is wrong with it?"
        value={props.note}
        sx={{ width: 260 }}
        onChange={(e) => props.onNote(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter") props.onSendBack();
          if (e.key === "Escape") {
            e.stopPropagation();
            props.onNote(undefined);
          }
        }}
      />
      <Button onClick={() => props.onNote(undefined)}>Not after all</Button>
      <Button variant="contained" onClick={props.onSendBack}>
        Send back
      </Button>
    </>
  );
}

const useLook = (id: number | undefined) =>
  useQuery({
    queryKey: ["look", id],
    queryFn: () => answered(api.GET("/api/v1/enlargements/{id}/look", { params: { path: { id: id ?? 0 } } })),
    enabled: id !== undefined,
    staleTime: Infinity,
  });

/** One spot before and after, at the print's scale. */
function Pair({ look, result, spot }: { look: Look; result: Enlargement; spot: number }) {
  const [frame, room] = useRoom(CUT);
  const at = look.spots[spot] ?? { x: look.sheet.width / 2, y: look.sheet.height / 2, name: "the middle" };
  const part = cutAround(at, IDENTITY, 1, look.sheet, (room.width - 6) / 2, room.height);
  const query = `x=${part.x}&y=${part.y}&width=${part.width}&height=${part.height}`;
  const sides = [
    { name: "Before, bicubic", source: `/api/v1/crops/${look.original}/${look.before}?${query}` },
    { name: "After", source: `/api/v1/enlargements/${result.id}/crop?${query}` },
  ];
  return (
    <Box ref={frame} sx={{ flex: 1, minWidth: 0, display: "flex", gap: "6px" }}>
      {sides.map(({ name, source }) => (
        <Box key={name} sx={{ flex: 1, position: "relative", overflow: "hidden" }}>
          <Box
            component="img"
            src={source}
            alt={`${name}, ${at.name}`}
            sx={{ display: "block", width: part.width, height: part.height }}
          />
          <Tag>{name}</Tag>
        </Box>
      ))}
    </Box>
  );
}

function told({ size, treatment, drawing }: Enlargement["record"]): string {
  return `${pixels(size)}, ${treatment}${drawing ? "; goes out as SVG and PDF too" : ""}`;
}
