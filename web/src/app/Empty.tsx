/** An order without pictures, or nothing at all yet: what to do next. */

import { Box, Button, Stack, Typography } from "@mui/material";
import { useRef } from "react";
import type { Order } from "../api/client";
import { FilePicker } from "../bench/FilePicker";

export function Empty(props: {
  loading: boolean;
  orders?: Order[];
  onNewOrder: () => void;
  onAdd: (files: File[]) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  if (props.loading) return <Box sx={{ flex: 1 }} aria-busy="true" />;
  const first = props.orders?.length === 0;
  return (
    <Stack
      component="main"
      spacing={2}
      sx={{ flex: 1, alignItems: "center", justifyContent: "center", textAlign: "center", p: 4 }}
    >
      <Typography variant="h1" component="h2">
        {first ? "An order holds the pictures of one job" : "This order is empty"}
      </Typography>
      <Typography sx={{ color: "text.secondary", maxWidth: 460 }}>
        {first
          ? "Open the first one, then drop photographs on it. Originals are never changed."
          : "Drop photographs or a folder anywhere on this page. JPEG, PNG, TIFF, WebP and camera raw are read, with 8 and 16 bits; the files themselves are never changed."}
      </Typography>
      {first ? (
        <Button variant="contained" onClick={props.onNewOrder}>
          Open an order
        </Button>
      ) : (
        <>
          <Button variant="contained" onClick={() => input.current?.click()}>
            Choose pictures
          </Button>
          <FilePicker ref={input} onFiles={props.onAdd} />
        </>
      )}
    </Stack>
  );
}
