import { describe, expect, it } from "vitest";

import { madePassword } from "./password";

describe("madePassword", () => {
  it("is long, in groups, and another each time", () => {
    expect(madePassword()).toMatch(/^([a-z2-7]{4}-){3}[a-z2-7]{4}$/);
    expect(new Set(Array.from({ length: 50 }, madePassword)).size).toBe(50);
  });
});
