/** What is said across the top: files that were refused or known already, and a server that is gone. */

import { Alert, Box } from "@mui/material";
import { sentence } from "../api/client";
import type { Notice } from "../bench/importing";

/** What happened to files that were refused or known already, until it is put away; and a server that is gone. */
export function Notices({ notices, error, onClose }: { notices: Notice[]; error: unknown; onClose: () => void }) {
  return (
    <>
      {error != null && (
        <Alert severity="error" square>
          {sentence(error)}
        </Alert>
      )}
      {notices.length > 0 && (
        <Alert
          severity={notices.some((n) => n.refused) ? "error" : "info"}
          square
          onClose={onClose}
          data-testid="notices"
          sx={{ maxHeight: 160, overflowY: "auto" }}
        >
          {notices.map((n) => (
            <Box key={n.key}>
              <strong>{n.name}</strong>: {n.text}
            </Box>
          ))}
        </Alert>
      )}
    </>
  );
}
