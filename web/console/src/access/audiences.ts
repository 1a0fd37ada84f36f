import type { Settings } from "../api/client";

export type Who = Settings["audience"]["who"];

/** Who may watch a feed, besides engineers. */
export const audiences: readonly { who: Who; label: string; means: string }[] = [
  { who: "everyone", label: "Everyone", means: "Whoever has the address can watch, without signing in." },
  { who: "links", label: "People with a link", means: "Nobody without one of its links, whatever account they have." },
  { who: "signed-in", label: "Signed-in people", means: "Every viewer's account, and whoever has a link." },
  { who: "named", label: "Named accounts", means: "Only the accounts below, and whoever has a link." },
];

export function labelOf(who: Who): string {
  return audiences.find((a) => a.who === who)?.label ?? who;
}

export const deliveries = [
  { key: "hls", label: "HLS" },
  { key: "fragments", label: "Live fragments" },
  { key: "webrtc", label: "WebRTC" },
  { key: "motion-jpeg", label: "Motion JPEG" },
  { key: "still", label: "Stills" },
  { key: "rtsp", label: "RTSP" },
] as const;

export type Delivery = (typeof deliveries)[number]["key"];

/** Reads a list that was typed: parts stand between commas, spaces or lines. */
export function listOf(text: string): string[] {
  return text.split(/[\s,]+/).filter((part) => part !== "");
}
