/** Theme and door; what lies behind is the workplace. */

import { CssBaseline, ThemeProvider } from "@mui/material";
import { type ReactNode, useEffect, useMemo } from "react";
import { BrowserRouter } from "react-router";
import { SignIn } from "../access/SignIn";
import { Refusal } from "../api/client";
import { useOrders } from "../api/queries";
import { theme } from "../look/theme";
import { type ThemeName } from "../look/tokens";
import { FirstLook } from "./FirstLook";
import { Workplace } from "./Workplace";
import { useKept } from "./kept";
import { tellPresence } from "./presence";

/** `awaited` is whether a picture is about to be shown. */
export function App({ awaited }: { awaited: boolean }) {
  const [name, setName] = useKept<ThemeName>("theme", "paper");
  useEffect(() => tellPresence(), []);
  const current = useMemo(() => theme(name), [name]);
  return (
    <ThemeProvider theme={current}>
      <CssBaseline />
      <Door>
        <BrowserRouter>
          <FirstLook awaited={awaited}>
            <Workplace themeName={name} onTheme={() => setName(name === "paper" ? "dim" : "paper")} />
          </FirstLook>
        </BrowserRouter>
      </Door>
    </ThemeProvider>
  );
}

/** Asks who it is, where the server wants to know. */
function Door({ children }: { children: ReactNode }) {
  const orders = useOrders();
  const shut = orders.error instanceof Refusal && orders.error.problem.code === "access.sign-in";
  return shut ? <SignIn /> : children;
}
