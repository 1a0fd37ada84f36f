import { describe, expect, it } from "vitest";

import { browserOf } from "./browsers";

describe("browserOf", () => {
  it.each([
    ["Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Safari/537.36", "Chrome on Linux"],
    ["Mozilla/5.0 (Windows NT 10.0; Win64; x64; rv:153.0) Gecko/20100101 Firefox/153.0", "Firefox on Windows"],
    ["Mozilla/5.0 (iPhone; CPU iPhone OS 19_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/19.0 Mobile/15E148 Safari/604.1", "Safari on iPhone"],
    ["the demo's link", "the demo's link"],
    ["", "unknown"],
  ])("reads %s", (agent, name) => {
    expect(browserOf(agent)).toBe(name);
  });
});
