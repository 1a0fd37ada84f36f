/** What the address of the page tells: the feed, and the pass behind the #. */
export interface Address {
  feed: string;
  pass: string;
}

/** Reads the page's address; the pass is empty where there is none. */
export function readAddress(path: string, hash: string): Address {
  const parts = path.split("/").filter((part) => part !== "");
  const at = parts.indexOf("publish");
  return { feed: decodeURIComponent(parts[at + 1] ?? ""), pass: decodeURIComponent(hash.replace(/^#/, "")) };
}

/** When a pass ends, milliseconds since 1970; null for a key, which has no end. */
export function passEnds(pass: string): number | null {
  const [kind, at] = pass.split(".");
  const seconds = parseInt(at ?? "", 36);
  return kind === "pass" && Number.isFinite(seconds) ? seconds * 1000 : null;
}
