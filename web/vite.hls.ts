import { defineConfig } from "vite";

// HLS by script, with hls.js: an ES module with a hash in its name. See player/hls.ts.
export default defineConfig({
  base: "/",
  publicDir: false,
  build: {
    outDir: "dist",
    emptyOutDir: false,
    target: "es2022",
    modulePreload: { polyfill: false },
    rollupOptions: {
      input: { hls: "player/hls.ts" },
      preserveEntrySignatures: "strict",
      output: { entryFileNames: "player/assets/[name]-[hash].js" },
    },
  },
});
