export function bits(v: number | undefined): string {
  if (!v || v <= 0) return "–";
  return v < 1e6 ? `${(v / 1e3).toFixed(0)} kbit/s` : `${(v / 1e6).toFixed(2)} Mbit/s`;
}

export function rate(v: number | undefined): string {
  return !v || v <= 0 ? "–" : `${v.toFixed(1)} fps`;
}

export function size(w: number | undefined, h: number | undefined): string {
  return w && h ? `${w} × ${h}` : "–";
}

export function bytes(v: number): string {
  return v < 1e6 ? `${(v / 1e3).toFixed(0)} kB` : `${(v / 1e6).toFixed(1)} MB`;
}

/** A share of a processor core. */
export function share(v: number): string {
  return v <= 0 ? "–" : `${(100 * v).toFixed(v < 0.1 ? 1 : 0)} %`;
}

/** A moment as the browser's people write it, with seconds. */
export function moment(at: string): string {
  return new Date(at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "medium" });
}

export function span(from: string, now: number): string {
  const s = Math.max(0, (now - Date.parse(from)) / 1000);
  if (s < 60) return `${Math.floor(s)} s`;
  if (s < 3600) return `${Math.floor(s / 60)} min`;
  if (s < 48 * 3600) return `${Math.floor(s / 3600)} h`;
  return `${Math.floor(s / 86400)} days`;
}

/** What engineers call a codec, by its RTP name. */
export function codecName(codec: string): string {
  return codec.replace(/^H(26\d)$/, "H.$1");
}

/** How long something lasted. */
export function length(seconds: number): string {
  if (seconds < 60) return `${Math.max(1, Math.round(seconds))} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 60) return `${minutes} min`;
  if (minutes < 48 * 60) return `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, "0")} min`;
  return `${Math.floor(minutes / 1440)} days`;
}

/** Bytes as providers count them. */
export function sized(v: number): string {
  for (const [unit, of] of [["TB", 1e12], ["GB", 1e9], ["MB", 1e6]] as const) {
    if (v >= of) return `${(v / of).toFixed(v >= 100 * of ? 0 : 1)} ${unit}`;
  }
  return `${(v / 1e3).toFixed(0)} kB`;
}
