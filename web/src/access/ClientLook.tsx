/** What a client sees through a link: each result before and after, with a movable edge between them. */

import { Alert, Box, CssBaseline, Slider, Stack, ThemeProvider, Typography } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { type SharedOrder, answered, api, sentence } from "../api/client";
import { pixels } from "../app/format";
import { theme } from "../look/theme";
import { STAGE_GROUND } from "../look/tokens";

const paper = theme("paper");

export function ClientLook({ token }: { token: string }) {
  const order = useQuery({
    queryKey: ["shared", token],
    queryFn: () => answered(api.GET("/api/v1/shared/{token}", { params: { path: { token } } })),
    retry: false,
  });
  return (
    <ThemeProvider theme={paper}>
      <CssBaseline />
      <Box component="main" sx={{ height: "100vh", overflowY: "auto" }}>
        <Stack spacing={4} sx={{ maxWidth: 1000, mx: "auto", px: 3, py: 4 }}>
          {order.isError && <Alert severity="error">{sentence(order.error)}</Alert>}
          {order.data && (
            <>
              <Box>
                <Typography variant="h1">{order.data.title}</Typography>
                <Typography variant="body2" sx={{ color: "text.secondary" }}>
                  {order.data.client && `For ${order.data.client}. `}
                  To be seen here until{" "}
                  {new Date(order.data.expires_at).toLocaleDateString("en-GB", { day: "numeric", month: "long" })}. Move
                  the edge: the original is on its left, the enlargement on its right.
                </Typography>
              </Box>
              {order.data.results.length === 0 && <Typography>Nothing is finished yet: come back later.</Typography>}
              {order.data.results.map((result) => (
                <Compared key={result.id} token={token} result={result} />
              ))}
            </>
          )}
        </Stack>
      </Box>
    </ThemeProvider>
  );
}

function Compared({ token, result }: { token: string; result: SharedOrder["results"][number] }) {
  const [edge, setEdge] = useState(50);
  const source = (side: "before" | "after") => `/api/v1/shared/${token}/${result.id}/${side}`;
  const picture = { position: "absolute", inset: 0, width: "100%", height: "100%" } as const;
  return (
    <Box component="article" aria-label={result.name}>
      <Box
        sx={{
          position: "relative",
          aspectRatio: `${result.size.width} / ${result.size.height}`,
          bgcolor: STAGE_GROUND,
        }}
      >
        <Box component="img" src={source("after")} alt="The enlargement" sx={picture} />
        <Box
          component="img"
          src={source("before")}
          alt="The original"
          sx={{ ...picture, clipPath: `inset(0 ${100 - edge}% 0 0)` }}
        />
        <Box
          sx={{
            position: "absolute",
            top: 0,
            bottom: 0,
            left: `${edge}%`,
            width: "2px",
            ml: "-1px",
            bgcolor: "primary.main",
          }}
        />
      </Box>
      <Slider
        value={edge}
        aria-label={`Edge on ${result.name}`}
        onChange={(_, to) => setEdge(to as number)}
        sx={{ py: 1.5 }}
      />
      <Typography sx={{ fontWeight: "fontWeightBold" }}>{result.name}</Typography>
      <Typography variant="body2" sx={{ color: "text.secondary" }}>
        {pixels(result.size)}. {result.treatment}
      </Typography>
    </Box>
  );
}
