import { describe, expect, it } from "vitest";

import { Keeper, lookEvery } from "./keeper";

/** Plays what comes in parts of so many seconds; returns what is in store at least at the end, and the jumps. */
function play(keeper: Keeper, store: number, seconds: number, part = 0.2): { least: number; jumps: number; rates: number[] } {
  let jumps = 0;
  let coming = 0;
  const rates: number[] = [];
  const seen: number[] = [];
  for (let t = 0; t < seconds; t += lookEvery / 1000) {
    coming += lookEvery / 1000;
    if (coming >= part - 1e-9) {
      store += part;
      coming = 0;
    }
    const { rate, jump } = keeper.step(store);
    rates.push(rate);
    if (jump !== null) {
      store -= jump;
      jumps++;
    }
    store -= (rate * lookEvery) / 1000;
    seen.push(store);
  }
  return { least: Math.min(...seen.slice(-20)), jumps, rates };
}

describe("the keeper of a place behind live", () => {
  it("comes to what is wanted from either side, without a jump", () => {
    for (const store of [0.2, 0.5, 1]) {
      const { least, jumps, rates } = play(new Keeper(0.15), store, 20);
      expect(least).toBeGreaterThan(0.05);
      expect(least).toBeLessThan(0.25);
      expect(jumps).toBe(0);
      expect(Math.max(...rates)).toBeLessThanOrEqual(1.1);
      expect(Math.min(...rates)).toBeGreaterThanOrEqual(0.9);
    }
  });

  it("jumps once when it is more than a second over", () => {
    const { least, jumps } = play(new Keeper(0.15), 8, 20);
    expect(jumps).toBe(1);
    expect(least).toBeLessThan(0.3);
  });

  it("keeps more after it has run out, and less again when all is calm", () => {
    const keeper = new Keeper(0.1);
    keeper.underrun();
    keeper.underrun();
    expect(keeper.target).toBeCloseTo(0.2);
    for (let i = 0; i < 100; i++) keeper.underrun();
    expect(keeper.target).toBeCloseTo(0.9);
    play(keeper, 0.5, 1200);
    expect(keeper.target).toBeCloseTo(0.1);
  });

  it("leaves the rate alone at its place", () => {
    expect(new Keeper(0.5).step(0.52).rate).toBe(1);
  });
});
