import { describe, expect, it } from "vitest";

import { changed, columns, readMask, rows, writeMask } from "./cells";

describe("a mask", () => {
  it("comes back as it was written", () => {
    const text = ["xx..............", ...Array.from({ length: rows - 1 }, () => ".".repeat(columns))].join("/");
    const cells = readMask(text);
    expect(cells.slice(0, 3)).toEqual([true, true, false]);
    expect(writeMask(cells)).toBe(text);
  });
  it("is empty when nothing is masked", () => {
    expect(writeMask(readMask(""))).toBe("");
  });
  it("leaves cells out of what changes", () => {
    const percent = Array.from({ length: rows }, () => Array.from({ length: columns }, () => 0));
    (percent[0] as number[])[0] = 100;
    expect(changed(percent, readMask(""))).toBeCloseTo(100 / (rows * columns));
    const mask = readMask("");
    mask[0] = true;
    expect(changed(percent, mask)).toBe(0);
  });
});
