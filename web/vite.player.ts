import { defineConfig } from "vite";

// The player is an ES module under a fixed name, for pages to load; hls.js is a
// chunk of its own that only engines without HLS fetch.
export default defineConfig({
  base: "/",
  publicDir: "player/public",
  build: {
    outDir: "dist",
    emptyOutDir: false,
    target: "es2022",
    modulePreload: { polyfill: false },
    rollupOptions: {
      input: { player: "player/player.ts", clock: "clock/clock.ts" },
      preserveEntrySignatures: "strict",
      output: {
        entryFileNames: "player/[name].js",
        chunkFileNames: "player/assets/[name]-[hash].js",
      },
    },
  },
});
