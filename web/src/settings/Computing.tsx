/** What computes the models: the processor, or a device that a plug-in of the runtime reaches. */

import { Alert, Box, Button, FormControlLabel, Radio, RadioGroup, Stack, Typography } from "@mui/material";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { answered, api, sentence } from "../api/client";
import type { components } from "../api/schema";
import { Panel } from "./Panel";

type View = components["schemas"]["ComputingView"];

const KEY = ["computing"];

/** How often it is looked whether the devices have been tried by now, in milliseconds. */
const LOOK_AGAIN = 5000;

export function ComputingPanel() {
  const client = useQueryClient();
  const standing = useQuery({
    queryKey: KEY,
    queryFn: () => answered(api.GET("/api/v1/computing")),
    refetchInterval: (query) => (query.state.data?.is_to_be_tried ? LOOK_AGAIN : false),
  });
  const take = (view: View) => client.setQueryData(KEY, view);
  const want = useMutation({
    mutationFn: (device: string) => answered(api.POST("/api/v1/computing", { body: { device } })),
    onSuccess: take,
  });
  const again = useMutation({ mutationFn: () => answered(api.POST("/api/v1/computing/try")), onSuccess: take });
  const view = standing.data;
  const error = standing.error ?? want.error ?? again.error;
  const busy = want.isPending || again.isPending;
  return (
    <Panel
      title="What computes"
      about="Every device is tried on a shipped model, beside the processor's own code, which says what is right."
    >
      {error != null && <Alert severity="error">{sentence(error)}</Alert>}
      {view?.trouble != null && <Alert severity="warning">{view.trouble}</Alert>}
      {view?.troubles.map((trouble) => (
        <Alert key={trouble} severity="warning">
          {trouble}
        </Alert>
      ))}
      {view?.is_to_be_tried && (
        <Typography variant="body2" role="status">
          The devices are tried once nobody has worked for a few seconds; until then the processor computes.
        </Typography>
      )}
      {view && view.devices.length > 0 && (
        <RadioGroup
          aria-label="What computes"
          value={view.wanted}
          onChange={(_, device) => want.mutate(device)}
          sx={{ gap: 0.5 }}
        >
          <Choice name="auto" busy={busy} title="The fastest that is right">
            {view.wanted === "auto" ? `now ${view.computing}` : "by at least a tenth, else the processor"}
          </Choice>
          <Choice name="cpu" busy={busy} title="The processor">
            by the runtime&rsquo;s own code: results are the same wherever they are computed
          </Choice>
          {view.devices.map((device) => (
            <Choice
              key={device.name}
              name={device.name}
              busy={busy || !device.may_be_used}
              title={`${device.name}, a ${device.what}`}
            >
              {device.in_words}
            </Choice>
          ))}
        </RadioGroup>
      )}
      {view && view.devices.length === 0 && !view.is_to_be_tried && (
        <Typography variant="body2">
          The processor. A graphics processor can compute too, once the runtime&rsquo;s plug-in for it is there: run{" "}
          <code>scripts/plugin.sh webgpu</code> and start again.
        </Typography>
      )}
      {view && (view.devices.length > 0 || view.troubles.length > 0) && (
        <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
          <Button variant="outlined" disabled={busy} onClick={() => again.mutate()}>
            Try them again
          </Button>
          {again.isPending && <Typography variant="body2">a few seconds for each</Typography>}
        </Stack>
      )}
    </Panel>
  );
}

function Choice(props: { name: string; busy: boolean; title: string; children: ReactNode }) {
  return (
    <FormControlLabel
      value={props.name}
      disabled={props.busy}
      control={<Radio size="small" />}
      sx={{ alignItems: "flex-start", m: 0 }}
      label={
        <Box sx={{ pt: 0.75 }}>
          <Typography variant="subtitle2">{props.title}</Typography>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            {props.children}
          </Typography>
        </Box>
      }
    />
  );
}
