import { describe, expect, it } from "vitest";

import { CatchUp, far } from "./catchup";

/** Plays for some seconds from so far behind; returns by how much it is behind then, and how often it jumped. */
function play(behind: number, seconds: number): { behind: number; jumps: number } {
  const keeper = new CatchUp();
  let jumps = 0;
  for (let s = 0; s < seconds; s++) {
    const { rate, jump } = keeper.step(behind);
    if (jump) {
      behind = 0;
      jumps++;
    } else behind -= rate - 1;
  }
  return { behind, jumps };
}

describe("an HLS player that is late", () => {
  it("is back at its place within half a minute of any spell", () => {
    for (const late of [1, 2, 2.4, 2.9, 4.1, 10, 51, 600]) {
      expect(play(late, 30).behind).toBeLessThan(0.4);
    }
  });

  it("does not jump for little, nor more than once for much", () => {
    expect(play(2.4, 60).jumps).toBe(0);
    expect(play(51, 60).jumps).toBe(1);
  });

  it("does not jump at one look", () => {
    const keeper = new CatchUp();
    expect(keeper.step(far + 5).jump).toBe(false);
    expect(keeper.step(1).jump).toBe(false);
    expect(keeper.step(far + 5).jump).toBe(false);
  });

  it("leaves the rate alone at its place, and a little before and behind it", () => {
    const keeper = new CatchUp();
    for (const behind of [0, 0.3, 0.7, -0.5]) expect(keeper.step(behind).rate).toBe(1);
  });
});
