import { describe, expect, it } from "vitest";

import { queryOf } from "./usePlan";

describe("who will watch", () => {
  it("is asked in whole viewers, seconds and bits", () => {
    expect(queryOf({ viewers: "30", within: "0.5", uplink: "20", listen: true })).toEqual({ viewers: 30, within: 0.5, listen: true, uplink: 20e6 });
  });

  it("is left to the feed where nothing is said", () => {
    expect(queryOf({ viewers: "", within: "", uplink: "", listen: false })).toEqual({ viewers: 1, within: undefined, listen: false, uplink: undefined });
    expect(queryOf({ viewers: "-2", within: "x", uplink: "-1", listen: false })).toEqual({ viewers: 1, within: undefined, listen: false, uplink: undefined });
    expect(queryOf({ viewers: "1", within: "0", uplink: "0", listen: false }).within).toBe(0);
  });
});
