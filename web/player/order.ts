// Which way to play is tried before which.

export type MethodKey = "webrtc" | "hls" | "pictures";

/** What a page asks for: the least delay, what plays everywhere, or the simplest. */
export type Preference = "delay" | "reach" | "simple";

export const preferences: readonly Preference[] = ["delay", "reach", "simple"];

const orders: Record<Preference, readonly MethodKey[]> = {
  delay: ["webrtc", "hls", "pictures"],
  reach: ["hls", "webrtc", "pictures"],
  simple: ["pictures", "hls", "webrtc"],
};

const reasons: Record<Preference, string> = {
  delay: "least delay was asked for",
  reach: "it plays everywhere",
  simple: "the simplest was asked for",
};

export interface Want {
  prefer: Preference;
  /** How far behind the page may be, seconds. */
  within: number | null;
}

/** Reads what a page asks for. A delay it can live with decides where nothing else does. */
export function readWant(prefer: string | null, within: string | null): Want {
  const seconds = within === null || within === "" ? NaN : Number(within);
  const known = preferences.find((p) => p === prefer);
  return { prefer: known ?? "reach", within: seconds >= 0 && known === undefined ? seconds : null };
}

/** HLS is three segments behind, and what it takes to make and fetch one. */
const segmentsBehind = 3.5;

/** The order in which ways are tried, and why the first is the first. */
export function orderOf(want: Want, segment: number): { order: readonly MethodKey[]; why: string } {
  if (want.within === null) return { order: orders[want.prefer], why: reasons[want.prefer] };
  const hls = segment * segmentsBehind;
  if (want.within >= hls) return { order: orders.reach, why: `HLS keeps within the ${want.within} s asked for` };
  return { order: orders.delay, why: `HLS would be some ${hls.toFixed(0)} s behind, ${want.within} s were asked for` };
}

/** After so many failures in a row the next way is tried. */
export const patienceWith: Record<MethodKey, number> = { webrtc: 1, hls: 2, pictures: 2 };
