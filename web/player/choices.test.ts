import { expect, test } from "vitest";

import { choicesOf, isSize, queryOf } from "./choices";

const state = {
  renditions: [
    { name: "original", codec: "H264", width: 1280, height: 720 },
    { name: "stills", codec: "JPEG", width: 0, height: 0 },
  ],
  sizes: [{ size: "1/2", width: 640, height: 360 }],
};

test("video has renditions, Motion JPEG its own and sizes", () => {
  expect(choicesOf("hls", state)).toEqual([{ name: "original", label: "original (1280×720)" }]);
  expect(choicesOf("pictures", state)).toEqual([
    { name: "stills", label: "stills" },
    { name: "size 1/2", label: "1/2 (640×360)" },
  ]);
});

test("a size is asked of Motion JPEG alone", () => {
  expect(isSize("size 1/2")).toBe(true);
  expect(queryOf("pictures", "size 1/2")).toBe("?size=1%2F2");
  expect(queryOf("webrtc", "size 1/2")).toBe("");
  expect(queryOf("webrtc", "small one")).toBe("?rendition=small%20one");
  expect(queryOf("pictures", null)).toBe("");
});
