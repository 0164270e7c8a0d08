/** A picture that was drawn, as shapes: how it would look, in how many colours and nodes, and the file. */

import DownloadIcon from "@mui/icons-material/Download";
import { Box, Button, Stack, Typography } from "@mui/material";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { type Original, answered, api, sentence } from "../api/client";
import { rules } from "../api/rules";
import { bytes, counted } from "../app/format";
import { useLater } from "../app/later";
import { Dial } from "./cards/Dial";

/** Its name in the band. */
export const TRACE = "Trace";

const RESTS_MS = 400;

/** `asked` changes with everything that the picture's drawing depends on. */
export function TracePanel({ original, asked }: { original: Original; asked: string }) {
  const [colours, setColours] = useState(rules().traced_colours.most);
  const rested = useLater(colours, RESTS_MS);
  const traced = useQuery({
    queryKey: ["trace", original.id, asked, rested],
    queryFn: ({ signal }) => {
      const params = { path: { id: original.id }, query: { colours: rested } };
      return answered(api.GET("/api/v1/originals/{id}/trace", { params, signal }));
    },
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: Infinity,
    gcTime: 60_000,
  });
  const address = useSvgAddress(traced.data?.svg);
  if (traced.error) return <Typography variant="body2">{sentence(traced.error)}</Typography>;
  if (!traced.data) {
    return (
      <Typography variant="body2" sx={{ color: "text.secondary" }} role="status">
        The picture is being traced.
      </Typography>
    );
  }
  const { data } = traced;
  const stem = original.name.replace(/\.[^.]+$/, "");
  return (
    <>
      <Stack spacing={1} sx={{ flex: "0 1 320px", minWidth: 0 }}>
        <Dial
          label="Colours at most"
          effect="Fewer leave out those that cover least: their places go to the colours around them."
          value={colours}
          min={rules().traced_colours.least}
          max={rules().traced_colours.most}
          step={1}
          format={(v) => v.toFixed(0)}
          onChange={setColours}
        />
        <Typography variant="body2">
          {counted(data.outlines, "outline")}, {counted(data.nodes, "node")}, {bytes(new Blob([data.svg]).size)}; sharp
          at any size.
        </Typography>
        <Stack direction="row" spacing={0.5} useFlexGap sx={{ flexWrap: "wrap" }} role="list" aria-label="Colours">
          {data.colours.map((colour) => (
            <Box
              key={colour}
              role="listitem"
              title={colour}
              aria-label={colour}
              sx={{ width: 20, height: 20, bgcolor: colour, border: 1, borderColor: "divider" }}
            />
          ))}
        </Stack>
        <Stack direction="row" spacing={1} useFlexGap sx={{ flexWrap: "wrap" }}>
          <SaveButton name={`${stem}.svg`} address={address} />
          <SaveButton name={`${stem}.pdf`} address={`/api/v1/originals/${original.id}/trace.pdf?colours=${rested}`} />
        </Stack>
      </Stack>
      {address && (
        <Box
          component="img"
          src={address}
          alt="The picture as shapes"
          sx={{ flex: "1 1 400px", minWidth: 0, height: "36vh", objectFit: "contain", bgcolor: "background.default" }}
        />
      )}
    </>
  );
}

function SaveButton({ name, address }: { name: string; address?: string }) {
  return (
    <Button component="a" href={address} download={name} variant="outlined" startIcon={<DownloadIcon />}>
      Save {name}
    </Button>
  );
}

/** An address for a file that is only here. */
function useSvgAddress(svg: string | undefined): string | undefined {
  const address = useMemo(
    () => (svg === undefined ? undefined : URL.createObjectURL(new Blob([svg], { type: "image/svg+xml" }))),
    [svg],
  );
  useEffect(() => () => (address === undefined ? undefined : URL.revokeObjectURL(address)), [address]);
  return address;
}
