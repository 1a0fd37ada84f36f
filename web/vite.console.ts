import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

import { hlsPath } from "./hlspath.ts";

export default defineConfig({
  base: "./",
  publicDir: false,
  plugins: [react()],
  define: { __HLS_PATH__: JSON.stringify(hlsPath()) },
  build: {
    outDir: "dist",
    emptyOutDir: false,
    target: "es2022",
    chunkSizeWarningLimit: 1600,
    rollupOptions: { input: "console.html" },
  },
});
