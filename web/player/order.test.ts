import { describe, expect, it } from "vitest";

import { methodsOf, readWant, wantQuery } from "./order";

describe("what a page asks for", () => {
  it("goes to the service", () => {
    expect(wantQuery(readWant(null, null))).toBe("");
    expect(wantQuery(readWant("delay", null))).toBe("?prefer=delay");
    expect(wantQuery(readWant("simple", "0.5"))).toBe("?prefer=simple&within=0.5");
    expect(wantQuery(readWant(null, "0"))).toBe("?within=0");
  });

  it("is nothing where it makes no sense", () => {
    for (const within of ["nonsense", "-1", "", " ", "1e9"]) expect(wantQuery(readWant("nonsense", within))).toBe("");
  });
});

describe("the order of methods", () => {
  it("is the service's order of deliveries", () => {
    expect(methodsOf(["motion-jpeg", "hls", "new-thing", "fragments", "webrtc"])).toEqual(["pictures", "hls", "fragments", "webrtc"]);
  });
});
