import type { Feed } from "../api/client";

export type Order = "broken" | "name";

export interface Choice {
  search: string;
  states: string[];
  tag: string;
  order: Order;
}

export const perPage = 50;

/** The groups of states that feeds are filtered by. */
export const groups = [
  { key: "broken", label: "Broken", states: ["refused", "retrying", "stalled"] },
  { key: "live", label: "Live", states: ["live"] },
  { key: "waiting", label: "Waiting", states: ["waiting", "connecting"] },
  { key: "idle", label: "Idle", states: ["idle"] },
  { key: "off", label: "Off", states: ["off"] },
] as const;

export const groupOf = (state: string): string => groups.find((g) => (g.states as readonly string[]).includes(state))?.key ?? "off";

const ranks: Record<string, number> = { refused: 0, retrying: 1, stalled: 1, connecting: 2, live: 3, waiting: 4, idle: 4, off: 5 };

/** The feeds that are asked for, in their order. */
export function choose(feeds: Feed[], { search, states, tag, order }: Choice): Feed[] {
  const text = search.trim().toLowerCase();
  const found = feeds.filter(
    (f) =>
      (states.length === 0 || states.includes(groupOf(f.state))) &&
      (!tag || f.tags.includes(tag)) &&
      (!text || [f.name, f.title, f.camera?.url ?? "", ...f.tags].some((t) => t.toLowerCase().includes(text))),
  );
  if (order === "name") return found;
  return found.toSorted((a, b) => (ranks[a.state] ?? 9) - (ranks[b.state] ?? 9) || (a.name < b.name ? -1 : 1));
}

/** All tags, the most used first. */
export function tagsOf(feeds: Feed[]): string[] {
  const counts = new Map<string, number>();
  for (const f of feeds) for (const t of f.tags) counts.set(t, (counts.get(t) ?? 0) + 1);
  return [...counts].toSorted((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1)).map(([t]) => t);
}

/** Feeds by their first tag, in the order of the tags' names; those without one last. */
export function byTag(feeds: Feed[]): [string, Feed[]][] {
  const all = new Map<string, Feed[]>();
  for (const f of feeds) {
    const tag = f.tags[0] ?? "";
    const list = all.get(tag);
    if (list) list.push(f);
    else all.set(tag, [f]);
  }
  return [...all].toSorted(([a], [b]) => (a === "" ? 1 : b === "" ? -1 : a < b ? -1 : 1));
}
