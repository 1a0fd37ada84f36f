/** A name for a feed, from its camera's address: what tells it from others there. */
export function nameFrom(address: string): string {
  const url = URL.parse(address);
  if (!url) return "";
  const usual = new Set(["main", "sub", "live", "stream", "video", "picture", "snapshot", "image", "mjpeg", "still", "cgi", "bin", "media", "h264", "axis"]);
  const parts = url.pathname
    .toLowerCase()
    .replace(/\.[a-z0-9]+$/, "")
    .split(/[^a-z0-9]+/)
    .filter((p) => p && !usual.has(p) && !/^\d+$/.test(p));
  const host = /^[\d.]+$|^\[/.test(url.hostname) ? "" : (url.hostname.split(".")[0] ?? "");
  const name = parts.length > 0 ? parts.join("-") : host === "localhost" ? "" : host.toLowerCase();
  return name.slice(0, 63);
}
