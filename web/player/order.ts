// The methods to play by, and what a page asks for. In which order they are tried the
// service says: it knows what each costs in delay.

export type MethodKey = "webrtc" | "fragments" | "hls" | "pictures";

/** What a page asks for: the least delay, what plays everywhere, or the simplest. */
export type Preference = "delay" | "reach" | "simple";

export const preferences: readonly Preference[] = ["delay", "reach", "simple"];

/** One way and no other: to measure it, or to see whether it works. */
export type Only = MethodKey | "hls-plain";

export interface Want {
  prefer: Preference | null;
  only: Only | null;
  /** How far behind the page may be, seconds; null for what the feed says. */
  within: number | null;
}

/** Reads what a page asks for; what makes no sense is not asked. */
export function readWant(prefer: string | null, within: string | null, only: string | null = null): Want {
  const seconds = within === null || within.trim() === "" ? NaN : Number(within);
  return { only: readOnly(only), prefer: preferences.find((p) => p === prefer) ?? null, within: seconds >= 0 && seconds <= 3600 ? seconds : null };
}

function readOnly(only: string | null): Only | null {
  if (only === "hls-plain") return only;
  return methodsOf([only ?? ""])[0] ?? null;
}

/** What the service is asked with it. */
export function wantQuery(want: Want): string {
  const q = new URLSearchParams();
  if (want.prefer) q.set("prefer", want.prefer);
  if (want.within !== null) q.set("within", String(want.within));
  return q.size > 0 ? `?${q}` : "";
}

/** What each method is called among a feed's deliveries. */
export const deliveryOf: Record<MethodKey, string> = { webrtc: "webrtc", fragments: "fragments", hls: "hls", pictures: "motion-jpeg" };

/** The methods of deliveries, in their order; what this player does not know is left out. */
export function methodsOf(order: readonly string[]): MethodKey[] {
  const keys = Object.keys(deliveryOf) as MethodKey[];
  return order.flatMap((d) => keys.filter((k) => deliveryOf[k] === d));
}

/** After so many failures in a row the next way is tried. */
export const patienceWith: Record<MethodKey, number> = { webrtc: 1, fragments: 2, hls: 2, pictures: 2 };
