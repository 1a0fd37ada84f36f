// The time that the timeline shows.

export interface Window {
  from: number;
  to: number;
}

const edge = 0.02;
const minute = 60_000;
const hour = 60 * minute;
const day = 24 * hour;

export const shortest = minute;
export const longest = 31 * day;

/** Zooms around a moment, that stays where it is. */
export function zoom({ from, to }: Window, factor: number, around: number): Window {
  const length = Math.min(longest, Math.max(shortest, (to - from) * factor));
  const share = to === from ? 0.5 : (around - from) / (to - from);
  const begin = around - share * length;
  return { from: begin, to: begin + length };
}

/** Moves by a share of what is shown. */
export function pan({ from, to }: Window, share: number): Window {
  const by = (to - from) * share;
  return { from: from + by, to: to + by };
}

const steps = [10_000, 30_000, minute, 2 * minute, 5 * minute, 10 * minute, 30 * minute, hour, 2 * hour, 3 * hour, 6 * hour, 12 * hour, day, 2 * day, 7 * day];

/** Round times to write beside the timeline, no more than about most of them. */
export function ticks({ from, to }: Window, most: number): number[] {
  const step = steps.find((s) => (to - from) / s <= most) ?? 7 * day;
  const offset = new Date(from).getTimezoneOffset() * minute; // so that days begin where people's do
  const list: number[] = [];
  for (let t = Math.ceil((from - offset) / step) * step + offset; t <= to; t += step) list.push(t);
  return list.filter((t) => t - from > edge * (to - from) && to - t > edge * (to - from)); // the text has room on both sides
}

/** A moment as the timeline writes it: as much of it as the step needs. */
export function tickText(at: number, { from, to }: Window): string {
  if (to - from > 3 * day) return new Date(at).toLocaleDateString(undefined, { weekday: "short", day: "numeric" });
  return new Date(at).toLocaleTimeString(undefined, { hour: "2-digit", minute: "2-digit", second: to - from < 10 * minute ? "2-digit" : undefined });
}

/** Where a moment is, per cent of the width. */
export function share(at: number, { from, to }: Window): number {
  return (100 * (at - from)) / (to - from);
}
