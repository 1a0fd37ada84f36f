import { expect, it } from "vitest";

import { BackOff } from "./backoff";

it("doubles up to the longest, and begins small again", () => {
  const b = new BackOff(500, 4000, () => 0.5);
  expect([1, 2, 3, 4, 5].map(() => b.pause())).toEqual([500, 1000, 2000, 4000, 4000]);
  b.reset();
  expect(b.pause()).toBe(500);
});

it("is spread, so that many players do not come back in step", () => {
  expect(new BackOff(1000, 1000, () => 0).pause()).toBe(750);
  expect(new BackOff(1000, 1000, () => 0.999).pause()).toBeCloseTo(1250, -1);
});
