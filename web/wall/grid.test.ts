import { describe, expect, it } from "vitest";

import { gridOf } from "./grid";

describe("gridOf", () => {
  it("fills a landscape screen", () => {
    expect([1, 2, 3, 4, 6, 9, 16].map((n) => gridOf(n, 1280, 720))).toEqual([1, 2, 2, 2, 3, 3, 4]);
  });
  it("stacks on a phone", () => {
    expect(gridOf(2, 390, 844)).toBe(1);
    expect(gridOf(3, 390, 844)).toBe(1);
  });
  it("scrolls before pictures get too small", () => {
    expect(gridOf(40, 390, 844)).toBe(1);
    expect(gridOf(64, 1280, 720)).toBe(5);
  });
});
