import { describe, expect, it } from "vitest";

import { runsOf } from "./StripChart";

describe("a strip's runs", () => {
  it("join cells that are alike", () => {
    expect(runsOf("llld..l")).toEqual([
      { letter: "l", from: 0, length: 3 },
      { letter: "d", from: 3, length: 1 },
      { letter: ".", from: 4, length: 2 },
      { letter: "l", from: 6, length: 1 },
    ]);
    expect(runsOf("")).toEqual([]);
  });
});
