import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

// Pages of other people's, for tests; they are no part of the service.
export default defineConfig({
  base: "/",
  publicDir: false,
  plugins: [react()],
  define: { __VUE_OPTIONS_API__: "false", __VUE_PROD_DEVTOOLS__: "false", __VUE_PROD_HYDRATION_MISMATCH_DETAILS__: "false" },
  build: {
    outDir: "dist-samples",
    emptyOutDir: true,
    target: "es2022",
    modulePreload: { polyfill: false },
    rollupOptions: {
      input: { react: "samples/react.tsx", vue: "samples/vue.ts" },
      output: { entryFileNames: "[name].js", chunkFileNames: "[name].js" },
    },
  },
});
