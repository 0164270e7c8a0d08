/** The spots of a picture: kept with it, jumped to by number keys. */

import DeleteOutlineIcon from "@mui/icons-material/DeleteOutlined";
import { rules } from "../api/rules";
import { Button, IconButton, Popover, Stack, TextField, Typography } from "@mui/material";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useMemo } from "react";
import { type Original, type Spot, answered, api } from "../api/client";
import { openingQuery } from "../api/queries";
import type { Point } from "../stage/tools";

export interface SpotsControl {
  spots: Spot[];
  /** Whether they are known by now. */
  known: boolean;
  /** Nobody set any yet: these are suggested by the picture. */
  suggested: boolean;
  set: (spots: Spot[]) => Promise<void>;
}

export function useSpots(original: Original): SpotsControl {
  const client = useQueryClient();
  const key = ["spots", original.id];
  const params = { params: { path: { id: original.id } } };
  const { data } = useQuery({
    queryKey: key,
    queryFn: () => answered(api.GET("/api/v1/originals/{id}/spots", params)),
    staleTime: Infinity,
  });
  return {
    spots: data?.spots ?? [],
    known: data !== undefined,
    suggested: data?.suggested ?? false,
    set: async (spots) => {
      client.setQueryData(key, { spots, suggested: false });
      try {
        await answered(api.PUT("/api/v1/originals/{id}/spots", { ...params, body: spots }));
      } finally {
        await client.invalidateQueries({ queryKey: key });
      }
    },
  };
}

/** Where a picture opens, in pixels of the original, as it was when it was opened; in its middle where nobody can say. */
export function useOpeningPlace(original: Original): Point | undefined {
  const { data, isError } = useQuery(openingQuery(original.id));
  const { width, height } = original.facts.size;
  return useMemo(() => data ?? (isError ? { x: width / 2, y: height / 2 } : undefined), [data, isError, width, height]);
}

/** With a spot more at a place of the original; named by its number until the person names it. */
export function pinned(spots: Spot[], at: Point, size: { width: number; height: number }): Spot[] {
  if (spots.length >= rules().most_spots) return spots;
  const within = (value: number, side: number) => Math.min(side, Math.max(0, value));
  const taken = new Set(spots.map((s) => s.name));
  let number = spots.length + 1;
  while (taken.has(`Spot ${number}`)) number++;
  return [...spots, { name: `Spot ${number}`, x: within(at.x, size.width), y: within(at.y, size.height) }];
}

export function SpotsMenu(props: {
  anchor: HTMLElement | null;
  control: SpotsControl;
  onClose: () => void;
  onGo: (index: number) => void;
  onPin: () => void;
  onTrouble: (error: unknown) => void;
}): ReactNode {
  const { spots, suggested, set } = props.control;
  const change = (next: Spot[]) => void set(next).catch(props.onTrouble);
  return (
    <Popover
      open={props.anchor !== null}
      anchorEl={props.anchor}
      onClose={props.onClose}
      anchorOrigin={{ vertical: "top", horizontal: "left" }}
      transformOrigin={{ vertical: "bottom", horizontal: "left" }}
      slotProps={{ paper: { role: "dialog", "aria-label": "Spots" } as object, backdrop: { invisible: true } }}
    >
      <Stack spacing={1} sx={{ width: 340 }}>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {spots.length === 0
            ? "Nothing in this picture stands out. Pin the places that you want to check."
            : suggested
              ? "These places tell most in this picture. Name, remove or add as you like."
              : "The number keys jump to them while the stage has the focus."}
        </Typography>
        {spots.map((spot, i) => (
          <Stack key={`${i} ${spot.x} ${spot.y}`} direction="row" spacing={1} sx={{ alignItems: "center" }}>
            <Button sx={{ minWidth: 28 }} aria-label={`Go to spot ${i + 1}`} onClick={() => props.onGo(i)}>
              {i + 1}
            </Button>
            <TextField
              fullWidth
              defaultValue={spot.name}
              slotProps={{ htmlInput: { "aria-label": `Name of spot ${i + 1}`, maxLength: 60 } }}
              onBlur={(e) => {
                const name = e.target.value.trim();
                if (name && name !== spot.name) change(spots.map((s, j) => (j === i ? { ...s, name } : s)));
              }}
            />
            <IconButton aria-label={`Remove spot ${i + 1}`} onClick={() => change(spots.filter((_, j) => j !== i))}>
              <DeleteOutlineIcon fontSize="small" />
            </IconButton>
          </Stack>
        ))}
        <Button
          variant="outlined"
          disabled={spots.length >= rules().most_spots}
          onClick={props.onPin}
          sx={{ alignSelf: "flex-start" }}
        >
          Pin the middle of the view (S)
        </Button>
      </Stack>
    </Popover>
  );
}
