import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  build: { chunkSizeWarningLimit: 900 },
  // The guide and its pictures lie beside the front end.
  server: { proxy: { "/api": "http://127.0.0.1:4390" }, fs: { allow: [".."] } },
  test: {
    environment: "node",
    include: ["src/**/*.test.{ts,tsx}"],
    setupFiles: ["src/testing/setup.ts"],
    // One page after the other rather than one each: most of the time went into making them.
    pool: "threads",
    isolate: false,
    unstubGlobals: true,
    // Machines may be busy: what never comes is what fails.
    testTimeout: 60_000,
  },
});
