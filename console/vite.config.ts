import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

// One patience for all waits of the tests, in milliseconds; whoever runs them measures it on the machine as it is.
const patience = 1000 * Number(process.env.EVEN_ROSTER_TEST_PATIENCE || 240);

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "../src/even_roster/service/static", emptyOutDir: true, target: "es2022" },
  server: { proxy: { "/api": "http://127.0.0.1:7420", "/enter": "http://127.0.0.1:7420" } },
  test: {
    setupFiles: "src/testing/setup.ts",
    environment: "jsdom",
    css: false,
    env: { VITE_TEST_PATIENCE_MS: String(patience) },
    testTimeout: patience,
    hookTimeout: patience,
    // The tests of a file leave nothing behind, so that all files can share a process and what it has loaded.
    isolate: false,
    maxWorkers: 1,
  },
});
