import { readFileSync } from "node:fs";

import { defineConfig } from "vite";

// The page that is put beside a feed's files on somebody's own web server: one script with
// hls.js in it, and one page.
export default defineConfig({
  base: "./",
  publicDir: false,
  plugins: [
    {
      name: "page",
      generateBundle() {
        this.emitFile({ type: "asset", fileName: "index.html", source: readFileSync("outlet/index.html", "utf8") });
      },
    },
  ],
  build: {
    outDir: "dist/outlet",
    emptyOutDir: false,
    target: "es2022",
    modulePreload: { polyfill: false },
    rollupOptions: { input: { page: "outlet/page.ts" }, output: { entryFileNames: "[name].js", inlineDynamicImports: true } },
  },
});
