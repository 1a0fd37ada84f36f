import { describe, expect, it } from "vitest";

import { longest, pan, share, shortest, ticks, zoom } from "./window";

const hour = 3_600_000;
const noon = Date.UTC(2026, 10, 27, 12);

describe("the time that the timeline shows", () => {
  it("is zoomed around a moment, that stays where it is", () => {
    const before = { from: noon, to: noon + 4 * hour };
    const after = zoom(before, 0.5, noon + hour);
    expect(after.to - after.from).toBe(2 * hour);
    expect(share(noon + hour, after)).toBeCloseTo(share(noon + hour, before));
  });
  it("is never shorter or longer than makes sense", () => {
    const w = { from: noon, to: noon + hour };
    const near = zoom(w, 0.00001, noon);
    expect(near.to - near.from).toBe(shortest);
    const far = zoom(w, 1e9, noon);
    expect(far.to - far.from).toBe(longest);
  });
  it("moves by a share of itself", () => {
    expect(pan({ from: noon, to: noon + 4 * hour }, -0.5)).toEqual({ from: noon - 2 * hour, to: noon + 2 * hour });
  });
  it("has a few round times beside it", () => {
    const list = ticks({ from: noon + 1, to: noon + 24 * hour }, 8);
    expect(list.length).toBeGreaterThan(3);
    expect(list.length).toBeLessThanOrEqual(9);
    expect((list[1] ?? 0) - (list[0] ?? 0)).toBe(3 * hour);
  });
});
