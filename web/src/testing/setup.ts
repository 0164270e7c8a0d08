/** What every test of a component needs: a server that is not there, and a page that is empty again afterwards. */

import "@testing-library/jest-dom/vitest";
import { cleanup, configure } from "@testing-library/react";
import { afterEach } from "vitest";
import type { Rules } from "../api/client";
import { setRules } from "../api/rules";
import today from "./rules.json";
import { forget, take } from "./server";

setRules(today as Rules);

// Both are set before the client is made, which keeps hold of them. Outside a browser there is no page that an address is relative to.
globalThis.fetch = take;
globalThis.Request = class extends Request {
  constructor(input: RequestInfo | URL, init?: RequestInit) {
    super(typeof input === "string" ? new URL(input, "http://lab.test") : input, init);
  }
};

configure({ asyncUtilTimeout: 20_000 });

afterEach(() => {
  forget();
  if (typeof document !== "undefined") cleanup();
});
