/** All figures of a rehearsal, sortable. */

import {
  Button,
  Stack,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TableSortLabel,
  Tooltip,
} from "@mui/material";
import { type Choice, type Rehearsal as Rehearsed } from "../api/client";
import { COLUMNS, type Order, best, sorted, written } from "./figures";

export function Figures(props: {
  kept: Rehearsed;
  order: Order;
  onOrder: (order: Order) => void;
  shown: number[];
  onToggle: (row: number) => void;
  onTake: (enlarge: Choice, name: string) => void;
}) {
  const { order } = props;
  const { rows } = props.kept;
  const bests = COLUMNS.map((column) => best(rows, column));
  return (
    <Table size="small" stickyHeader aria-label="Figures" sx={{ "& td, & th": { px: 0.75, py: 0.25 } }}>
      <TableHead>
        <TableRow>
          <TableCell sx={{ pl: "20px !important" }}>Method</TableCell>
          {COLUMNS.map((column) => (
            <TableCell
              key={column.key}
              align="right"
              sortDirection={order.by === column.key ? (order.down ? "desc" : "asc") : false}
            >
              <Tooltip title={column.about}>
                <TableSortLabel
                  active={order.by === column.key}
                  direction={order.by === column.key && !order.down ? "asc" : "desc"}
                  hideSortIcon
                  onClick={() =>
                    props.onOrder({
                      by: column.key,
                      down: order.by === column.key ? !order.down : column.better !== "less",
                    })
                  }
                >
                  {column.name}
                </TableSortLabel>
              </Tooltip>
            </TableCell>
          ))}
        </TableRow>
      </TableHead>
      <TableBody>
        {sorted(rows, order).map((i) => {
          const row = rows[i];
          if (!row) return null;
          const inView = props.shown.includes(i);
          return (
            <TableRow
              key={i}
              hover
              tabIndex={0}
              aria-selected={inView}
              data-testid="candidate"
              onClick={() => props.onToggle(i)}
              onKeyDown={(e) => {
                if (e.key !== "Enter" && e.key !== " ") return;
                e.preventDefault();
                props.onToggle(i);
              }}
              sx={{
                cursor: "pointer",
                boxShadow: inView ? (t) => `inset 3px 0 0 ${t.palette.primary.main}` : "none",
                "& button": { visibility: "hidden" },
                "&:hover button, &:focus-within button": { visibility: "visible" },
              }}
            >
              <TableCell sx={{ pl: "20px !important", fontWeight: inView ? 600 : 400 }}>
                <Stack direction="row" sx={{ alignItems: "center", justifyContent: "space-between", minHeight: 28 }}>
                  <span>{row.name}</span>
                  {!row.name.startsWith("Treatment") && !row.trouble && (
                    <Button
                      size="small"
                      sx={{ py: 0, minWidth: 0 }}
                      onClick={(e) => {
                        e.stopPropagation();
                        props.onTake(row.steps.enlarge, row.name);
                      }}
                    >
                      Take
                    </Button>
                  )}
                </Stack>
              </TableCell>
              {row.trouble ? (
                <TableCell colSpan={COLUMNS.length} sx={{ color: "error.main" }}>
                  {row.trouble}
                </TableCell>
              ) : (
                COLUMNS.map((column, c) => {
                  const value = column.of(row);
                  const text = value === undefined ? "" : written(value, column);
                  const patterned = column.key === "screen" && row.draws_screen;
                  return (
                    <TableCell
                      key={column.key}
                      align="right"
                      title={patterned ? "Draws a regular pattern over the picture" : undefined}
                      sx={{
                        color: patterned ? "error.main" : "measured",
                        fontWeight: text !== "" && text === bests[c] ? 700 : 400,
                      }}
                    >
                      {text}
                    </TableCell>
                  );
                })
              )}
            </TableRow>
          );
        })}
      </TableBody>
    </Table>
  );
}
