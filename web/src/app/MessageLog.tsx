/** All messages so far. */

import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle, Typography } from "@mui/material";
import { useMessages } from "./messages";

export function MessageLog({ onClose }: { onClose: () => void }) {
  const all = useMessages((messages) => messages.all);
  return (
    <Dialog open fullWidth maxWidth="sm" onClose={onClose} aria-labelledby="messages">
      <DialogTitle id="messages">All messages so far</DialogTitle>
      <DialogContent>
        {all.length === 0 && (
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            Nothing has been said since this page was loaded.
          </Typography>
        )}
        <Box
          component="ol"
          sx={{ listStyle: "none", m: 0, p: 0, display: "grid", gridTemplateColumns: "auto 1fr", gap: 1 }}
        >
          {all.toReversed().map((message, i) => (
            <Box component="li" key={i} sx={{ display: "contents" }}>
              <Typography variant="body2" sx={{ color: "text.secondary" }}>
                {message.at.toLocaleTimeString("en-GB")}
              </Typography>
              <Typography variant="body2" sx={{ color: message.refused ? "error.main" : "text.primary" }}>
                {message.about && <strong>{message.about}: </strong>}
                {message.text}
              </Typography>
            </Box>
          ))}
        </Box>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
