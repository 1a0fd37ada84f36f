// What is read of each delivery while it plays.
export type Way = "webrtc" | "fragments" | "hls" | "hls-plain" | "motion-jpeg";

export const ways: { way: Way; name: string }[] = [
  { way: "webrtc", name: "WebRTC" },
  { way: "fragments", name: "Live fragments" },
  { way: "hls", name: "HLS, low latency" },
  { way: "hls-plain", name: "HLS, plain players" },
  { way: "motion-jpeg", name: "Motion JPEG" },
];

/** What is made anew for each way. */
export function forEach<T>(make: () => T): Record<Way, T> {
  return Object.fromEntries(ways.map(({ way }) => [way, make()])) as Record<Way, T>;
}

/** One look at one delivery. */
export interface Sample {
  at: number; // milliseconds since 1970, by the service's clock
  delay: number | null; // milliseconds
  byPixels: boolean; // from the QR clock in the picture, and not from what the service says
  frames: number | null; // pictures shown so far, where the browser counts them
}

export interface Numbers {
  delay: number | null;
  high: number | null; // 95th percentile
  byPixels: boolean;
  stalls: number;
  rate: number | null; // frames a second
  looks: number; // that a delay was found in
}

function share(sorted: number[], part: number): number | null {
  return sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * part))] ?? null;
}

const stalledAfter = 1000; // without a newer picture

/** Sums samples up; a stall is a second or more without a newer picture. */
export function sumUp(samples: Sample[]): Numbers {
  const delays = samples.flatMap((s) => (s.delay === null ? [] : [s.delay])).sort((a, b) => a - b);
  let stalls = 0;
  let newest = 0;
  let since = 0;
  let stalled = false;
  for (const s of samples) {
    const taken = s.delay === null ? newest : s.at - s.delay;
    if (taken > newest + 1) {
      newest = taken;
      since = s.at;
      stalled = false;
    } else if (!stalled && since > 0 && s.at - since >= stalledAfter) {
      stalled = true;
      stalls++;
    }
  }
  return { delay: share(delays, 0.5), high: share(delays, 0.95), byPixels: samples.some((s) => s.byPixels), stalls, rate: rateOf(samples), looks: delays.length };
}

function rateOf(samples: Sample[]): number | null {
  const counted = samples.filter((s) => s.frames !== null);
  const [first, last] = [counted.at(0), counted.at(-1)];
  if (!first || !last || last.at <= first.at) return null;
  const n = (last.frames ?? 0) - (first.frames ?? 0);
  return n >= 0 ? (n * 1000) / (last.at - first.at) : null;
}

/** A table for spreadsheets: a line a second. */
export function toCSV(rows: { second: number; delays: Record<Way, number | null> }[]): string {
  const head = ["second", ...ways.map((w) => `${w.name} ms`)].join(",");
  const lines = rows.map((r) => [r.second, ...ways.map((w) => r.delays[w.way]?.toFixed(0) ?? "")].join(","));
  return [head, ...lines].join("\r\n") + "\r\n";
}
