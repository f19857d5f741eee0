import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  server: { proxy: { "/api": "http://127.0.0.1:8410" } },
  test: { setupFiles: ["tests/setup.ts"], testTimeout: 60_000, isolate: false, maxWorkers: 2 },
  build: { chunkSizeWarningLimit: 1200, assetsInlineLimit: 0 },
});
