import "../../../player/player";

import { createElement } from "react";

/** The very player that pages embed. */
export function Player({ feed, label, rendition }: { feed: string; label: string; rendition?: string }) {
  return createElement("webostrum-player", { feed, label, rendition });
}
