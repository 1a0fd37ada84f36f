import { readdirSync, statSync } from "node:fs";

/** The path of what vite.hls.ts has built last. */
export function hlsPath(): string {
  const folder = "dist/player/assets";
  const files = readdirSync(folder).filter((name) => name.startsWith("hls-"));
  const newest = files.sort((a, b) => statSync(`${folder}/${b}`).mtimeMs - statSync(`${folder}/${a}`).mtimeMs)[0];
  if (!newest) throw new Error("build the player's HLS part first: vite build -c vite.hls.ts");
  return `/player/assets/${newest}`;
}
