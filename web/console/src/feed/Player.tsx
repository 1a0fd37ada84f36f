import "../../../player/player";

import { createElement } from "react";

/** The very player that pages embed. */
export function Player({ feed, label }: { feed: string; label: string }) {
  return createElement("webostrum-player", { feed, label });
}
