import "../../../player/player";

import { createElement } from "react";

/** The very player that pages embed. */
export function Player({ feed, label, rendition, prefer, by }: { feed: string; label: string; rendition?: string; prefer?: "delay" | "reach"; by?: string }) {
  return createElement("webostrum-player", { feed, label, rendition, prefer, by });
}
