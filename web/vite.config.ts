import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
  build: { chunkSizeWarningLimit: 2000, sourcemap: false },
  worker: { format: "es" },
  server: { proxy: { "/api": { target: "http://127.0.0.1:8765", ws: true } } },
});
