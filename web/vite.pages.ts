import { defineConfig } from "vite";

// Scripts of pages that the service writes.
export default defineConfig({
  base: "/",
  publicDir: false,
  build: {
    outDir: "dist",
    emptyOutDir: false,
    target: "es2022",
    modulePreload: { polyfill: false },
    rollupOptions: {
      input: { camera: "camera/camera.ts", clock: "clock/clock.ts", reach: "reach/reach.ts", wall: "wall/wall.ts" },
      output: { entryFileNames: "player/[name].js", chunkFileNames: "player/assets/[name]-[hash].js" },
    },
  },
});
