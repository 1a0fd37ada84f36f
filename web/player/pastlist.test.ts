import { describe, expect, it } from "vitest";

import { dateAt, placeOf, readList } from "./pastlist";

const list = `#EXTM3U
#EXT-X-MAP:URI="1.mp4",BYTERANGE="1079@0"
#EXT-X-PROGRAM-DATE-TIME:2026-11-27T12:00:00.000Z
#EXTINF:2.00000,
1.mp4
#EXTINF:4.00000,
1.mp4
#EXT-X-DISCONTINUITY
#EXT-X-PROGRAM-DATE-TIME:2026-11-27T13:00:00.500Z
#EXTINF:3.00000,
2.mp4
#EXT-X-ENDLIST
`;
const noon = Date.UTC(2026, 10, 27, 12);
const hour = 3_600_000;

describe("a playlist of the past", () => {
  const pieces = readList(list);
  it("has its segments one behind the other, each with its moment", () => {
    expect(pieces).toEqual([
      { at: 0, length: 2, date: noon },
      { at: 2, length: 4, date: noon + 2000 },
      { at: 6, length: 3, date: noon + hour + 500 },
    ]);
  });
  it("tells which moment is shown", () => {
    expect(dateAt(pieces, 3)).toBe(noon + 3000);
    expect(dateAt(pieces, 7)).toBe(noon + hour + 1500);
    expect(dateAt([], 7)).toBeNull();
  });
  it("tells where a moment is shown, and passes over a gap", () => {
    expect(placeOf(pieces, noon + 4500)).toBe(4.5);
    expect(placeOf(pieces, noon + 60_000)).toBe(6);
    expect(placeOf(pieces, noon - 60_000)).toBe(0);
    expect(placeOf(pieces, noon + 2 * hour)).toBeNull();
  });
});
