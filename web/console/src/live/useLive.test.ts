import { describe, expect, it } from "vitest";

import type { Feed } from "../api/client";
import { merged } from "./useLive";

const feed = (name: string, viewers = 0): Feed => ({ name, viewers }) as unknown as Feed;

describe("feeds that have changed", () => {
  it("take their places, come and go", () => {
    const all = [feed("a"), feed("c"), feed("d")];
    expect(merged(all, { feeds: [feed("b"), feed("c", 2)], gone: ["d"] })).toEqual([feed("a"), feed("b"), feed("c", 2)]);
    expect(merged(all, { feeds: null, gone: null })).toEqual(all);
    expect(merged(all, { feeds: null, gone: null })[0]).toBe(all[0]);
  });
});
