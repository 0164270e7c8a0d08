/** Signing in, where the server can be reached from elsewhere. */

import { Button, Stack, TextField, Typography } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { answered, api, sentence } from "../api/client";

export function SignIn() {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const enter = useMutation({
    mutationFn: () => answered(api.POST("/api/v1/session", { body: { name, password } })),
    onSuccess: () => client.resetQueries(),
  });
  return (
    <Stack component="main" sx={{ height: "100vh", alignItems: "center", justifyContent: "center" }}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          enter.mutate();
        }}
      >
        <Stack spacing={2} sx={{ width: 320, p: 3, bgcolor: "background.paper", border: 1, borderColor: "divider" }}>
          <Typography variant="h1">Dettaglio</Typography>
          <TextField
            label="Name"
            value={name}
            autoFocus
            autoComplete="username"
            onChange={(e) => setName(e.target.value)}
          />
          <TextField
            label="Password"
            type="password"
            value={password}
            autoComplete="current-password"
            error={enter.isError}
            helperText={enter.isError ? sentence(enter.error) : undefined}
            onChange={(e) => setPassword(e.target.value)}
          />
          <Button type="submit" variant="contained" disabled={name === "" || password === "" || enter.isPending}>
            Sign in
          </Button>
        </Stack>
      </form>
    </Stack>
  );
}
