import { defineConfig } from "vite";

import { hlsPath } from "./hlspath.ts";

// The player under a fixed name, for pages to load: one file that is a classic script and
// a module alike.
export default defineConfig({
  base: "/",
  publicDir: "player/public",
  define: { __HLS_PATH__: JSON.stringify(hlsPath()) },
  build: {
    outDir: "dist",
    emptyOutDir: false,
    target: "es2022",
    modulePreload: { polyfill: false },
    rollupOptions: {
      input: { player: "player/player.ts" },
      output: { format: "iife", entryFileNames: "player/[name].js" },
    },
  },
});
