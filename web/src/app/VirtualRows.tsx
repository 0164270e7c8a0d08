/** Long lists of which only what is in view is there. */

import { Box } from "@mui/material";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useRef } from "react";
import { useHurried } from "./hurried";
import { useRoom } from "./room";

/** `heightOf` is in pixels; `children` makes the row of an index, `hurried` while rows pass by quicker than anyone sees what they hold. */
export function VirtualRows(props: {
  /** The row that is to be in view. */
  shown?: number;
  label: string;
  count: number;
  heightOf: (index: number) => number;
  keyOf: (index: number) => number | string;
  children: (index: number, hurried: boolean) => ReactNode;
}) {
  const frame = useRef<HTMLDivElement>(null);
  const list = useVirtualizer({
    count: props.count,
    getScrollElement: () => frame.current,
    estimateSize: props.heightOf,
    getItemKey: props.keyOf,
    overscan: 8,
  });
  const hurried = useHurried(list.isScrolling, list.scrollOffset ?? 0);
  const { shown } = props;
  useEffect(() => {
    if (shown !== undefined && shown >= 0) list.scrollToIndex(shown);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once for each row that is to be shown, not while the list is scrolled
  }, [shown]);
  return (
    <Box
      ref={frame}
      // The bar has room of its own beside what the list holds.
      sx={{ flex: 1, overflowY: "auto", scrollbarWidth: "thin", scrollbarGutter: "stable" }}
      tabIndex={-1}
    >
      <Box
        component="ul"
        aria-label={props.label}
        sx={{ position: "relative", m: 0, p: 0, listStyle: "none", height: list.getTotalSize() }}
      >
        {list.getVirtualItems().map((row) => (
          <Box
            component="li"
            key={row.key}
            style={{
              position: "absolute",
              left: 0,
              right: 0,
              height: row.size,
              transform: `translateY(${row.start}px)`,
            }}
          >
            {props.children(row.index, hurried)}
          </Box>
        ))}
      </Box>
    </Box>
  );
}

/** Cells of one height side by side, as many as there is room for; `least` is a cell's least width in pixels. */
export function VirtualGrid(props: {
  label: string;
  count: number;
  least: number;
  height: number;
  keyOf: (index: number) => number | string;
  /** `hurried` while cells pass by quicker than anyone sees what they hold. */
  children: (index: number, hurried: boolean) => ReactNode;
}) {
  const { count, least, height } = props;
  const [frame, { width }] = useRoom(NO_ROOM);
  const columns = Math.max(1, Math.floor((width + GAP) / (least + GAP)));
  const list = useVirtualizer({
    count: Math.ceil(count / columns),
    getScrollElement: () => frame.current,
    estimateSize: () => height + GAP,
    paddingStart: MARGIN,
    paddingEnd: MARGIN,
    overscan: 2,
  });
  const hurried = useHurried(list.isScrolling, list.scrollOffset ?? 0);
  const cells = list
    .getVirtualItems()
    .flatMap(({ index: row, start }) => Array.from({ length: columns }, (_, column) => ({ row, column, start })))
    .filter(({ row, column }) => row * columns + column < count);
  return (
    <Box ref={frame} sx={{ flex: 1, overflowY: "auto", px: `${MARGIN}px`, scrollbarGutter: "stable" }} tabIndex={-1}>
      <Box
        component="ul"
        aria-label={props.label}
        sx={{ position: "relative", m: 0, p: 0, listStyle: "none", height: list.getTotalSize() }}
      >
        {cells.map(({ row, column, start }) => {
          const index = row * columns + column;
          return (
            <Box
              component="li"
              key={props.keyOf(index)}
              aria-setsize={count}
              aria-posinset={index + 1}
              // Not through the theme: it changes with every step of scrolling.
              style={{
                position: "absolute",
                top: 0,
                left: `calc(${column} * (100% + ${GAP}px) / ${columns})`,
                width: `calc((100% + ${GAP}px) / ${columns} - ${GAP}px)`,
                height,
                transform: `translateY(${start}px)`,
              }}
            >
              {props.children(index, hurried)}
            </Box>
          );
        })}
      </Box>
    </Box>
  );
}

/** Room between cells, and around all of them, in pixels. */
const NO_ROOM = { width: 0, height: 0 };
const GAP = 16;
const MARGIN = 20;
