import { describe, expect, it } from "vitest";

import { BoxReader, type Reference } from "./boxes";

function box(kind: string, ...body: number[]): number[] {
  const size = 8 + body.length;
  return [size >>> 24, (size >>> 16) & 255, (size >>> 8) & 255, size & 255, ...[...kind].map((c) => c.charCodeAt(0)), ...body];
}

describe("capture times in a stream of boxes", () => {
  const reference = box("prft", 1, 0, 0, 24, 0, 0, 0, 1, 0x83, 0xaa, 0x7e, 0x81, 0x80, 0, 0, 0, 0, 0, 0, 0, 0, 1, 0x5f, 0x90);
  const stream = new Uint8Array([...box("moof", 1, 2, 3), ...reference, ...box("mdat"), ...reference]);

  it("are found whatever pieces it comes in", () => {
    for (const size of [1, 2, 7, 31, 1000]) {
      const found: Reference[] = [];
      const reader = new BoxReader((r) => found.push(r));
      for (let i = 0; i < stream.length; i += size) reader.push(stream.subarray(i, i + size));
      expect(found).toEqual([
        { media: 90000, capturedAt: 1500 },
        { media: 90000, capturedAt: 1500 },
      ]);
    }
  });

  it("does not end on a box without a size", () => {
    const reader = new BoxReader(() => undefined);
    reader.push(new Uint8Array(64));
    expect(true).toBe(true);
  });
});
