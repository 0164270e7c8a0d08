/** Which order it is, for whom, and what its pictures become. */

import { Box, Button, Stack, Typography } from "@mui/material";
import type { Order } from "../api/client";
import { dueText, today } from "./words";

export function OrderHead(props: { order: Order; onChange: () => void; onMore: (anchor: HTMLElement) => void }) {
  const { order } = props;
  return (
    <>
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
        <Button aria-haspopup="menu" onClick={(e) => props.onMore(e.currentTarget)}>
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
    </>
  );
}
