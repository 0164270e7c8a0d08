/** One picture on the bench: ticket line, stage or strip, process rail. */

import { Alert, Box, Button } from "@mui/material";
import { useState } from "react";
import { useLocation } from "react-router";
import { type Intent, Refusal, answered, api, sentence } from "../api/client";
import { useKeptIntent } from "../api/queries";
import { Awaited } from "./Awaited";
import { type BenchProps, Workbench } from "./Workbench";
import { lookingOf } from "./looking";
import { BenchProvider, benchStore } from "./state";

/** Opens with what was asked for last, or with what is suggested. */
export function Bench(props: BenchProps) {
  const { id } = props.original;
  const first = useKeptIntent(id);
  const beginAgain = async () => {
    await answered(api.DELETE("/api/v1/originals/{id}/intent", { params: { path: { id } } }));
    await first.refetch();
  };
  if (first.data) return <Open key={first.dataUpdatedAt} {...props} first={first.data} />;
  return (
    <Box component="main" sx={{ flex: 1, minWidth: 0, display: "flex" }} aria-busy={!first.error}>
      <Awaited original={id} waiting={!first.error}>
        {first.error && (
          <Alert
            severity="error"
            action={
              isUnreadable(first.error) && (
                <Button color="inherit" size="small" onClick={() => void beginAgain()}>
                  Begin again
                </Button>
              )
            }
          >
            {sentence(first.error)}
          </Alert>
        )}
      </Awaited>
    </Box>
  );
}

/** Whether what was asked for is there and cannot be read: it is given up only when a person says so. */
const isUnreadable = (error: unknown) => error instanceof Refusal && error.problem.code === "intent.unreadable";

/** The state of the picture begins with what the address says is looked at. */
function Open(props: BenchProps & { first: Intent }) {
  const { search } = useLocation();
  const [store] = useState(() => benchStore(props.first, lookingOf(search)));
  return (
    <BenchProvider value={store}>
      <Workbench {...props} />
    </BenchProvider>
  );
}
