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

// Nothing is laid out here: lists that show what there is room for have as much as a small window gives.
if (typeof Element !== "undefined") {
  for (const [side, length] of [
    ["clientWidth", 900],
    ["clientHeight", 600],
  ] as const)
    Object.defineProperty(Element.prototype, side, { configurable: true, get: () => length });
}

configure({ asyncUtilTimeout: 20_000 });

afterEach(() => {
  forget();
  if (typeof document !== "undefined") cleanup();
});
