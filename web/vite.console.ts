import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  base: "/",
  publicDir: false,
  plugins: [react()],
  build: {
    outDir: "dist",
    emptyOutDir: false,
    target: "es2022",
    chunkSizeWarningLimit: 1600,
    rollupOptions: { input: "console.html" },
  },
});
