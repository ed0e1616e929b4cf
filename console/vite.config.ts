import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "../src/even_roster/service/static", emptyOutDir: true, target: "es2022" },
  server: { proxy: { "/api": "http://127.0.0.1:7420", "/enter": "http://127.0.0.1:7420" } },
});
