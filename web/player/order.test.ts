import { describe, expect, it } from "vitest";

import { orderOf, readWant } from "./order";

describe("what a page asks for", () => {
  it("is the method that plays everywhere, unless it says otherwise", () => {
    expect(orderOf(readWant(null, null), 2).order[0]).toBe("hls");
    expect(orderOf(readWant("delay", null), 2).order[0]).toBe("webrtc");
    expect(orderOf(readWant("simple", null), 2).order[0]).toBe("pictures");
    expect(orderOf(readWant("nonsense", "nonsense"), 2).order[0]).toBe("hls");
  });

  it("may be a delay, which segments decide about", () => {
    expect(orderOf(readWant(null, "8"), 2).order[0]).toBe("hls");
    expect(orderOf(readWant(null, "6"), 2).order[0]).toBe("webrtc");
    expect(orderOf(readWant(null, "6"), 1).order[0]).toBe("hls");
    expect(orderOf(readWant(null, "0"), 1).why).toContain("0 s were asked for");
  });

  it("is the method where both are said", () => {
    expect(orderOf(readWant("reach", "0.2"), 2).order[0]).toBe("hls");
  });

  it("names each method once in every order", () => {
    for (const want of [readWant("delay", null), readWant("reach", null), readWant("simple", null), readWant(null, "1")]) {
      expect([...orderOf(want, 2).order].sort()).toEqual(["hls", "pictures", "webrtc"]);
    }
  });
});
