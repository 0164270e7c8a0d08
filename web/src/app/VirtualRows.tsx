/** A long list of which only the rows in view are there. */

import { Box } from "@mui/material";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useRef } from "react";

/** `heightOf` is in pixels; `children` makes the row of an index. */
export function VirtualRows(props: {
  label: string;
  count: number;
  heightOf: (index: number) => number;
  keyOf: (index: number) => number | string;
  children: (index: number) => ReactNode;
}) {
  const frame = useRef<HTMLDivElement>(null);
  const list = useVirtualizer({
    count: props.count,
    getScrollElement: () => frame.current,
    estimateSize: props.heightOf,
    getItemKey: props.keyOf,
    overscan: 8,
  });
  return (
    <Box ref={frame} sx={{ flex: 1, overflowY: "auto" }} tabIndex={-1}>
      <Box
        component="ul"
        aria-label={props.label}
        sx={{ position: "relative", m: 0, p: 0, listStyle: "none", height: list.getTotalSize() }}
      >
        {list.getVirtualItems().map((row) => (
          <Box
            component="li"
            key={row.key}
            sx={{
              position: "absolute",
              left: 0,
              right: 0,
              height: row.size,
              transform: `translateY(${row.start}px)`,
            }}
          >
            {props.children(row.index)}
          </Box>
        ))}
      </Box>
    </Box>
  );
}
