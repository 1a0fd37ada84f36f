import { describe, expect, it } from "vitest";

import { passEnds, readAddress } from "./pass";
import { bitsText, codecsOf, codingsOf, mostBits, usual, videoConstraints } from "./settings";

describe("readAddress", () => {
  it("takes the feed from the path and the pass from behind the #", () => {
    expect(readAddress("/publish/visitor-phone", "#pass.t6qv.abc")).toEqual({ feed: "visitor-phone", pass: "pass.t6qv.abc" });
    expect(readAddress("/cams/publish/gate/", "")).toEqual({ feed: "gate", pass: "" });
  });
});

describe("passEnds", () => {
  it("reads the time of a pass, and none of a key", () => {
    expect(passEnds(`pass.${(1_800_000_000).toString(36)}.x`)).toBe(1_800_000_000_000);
    expect(passEnds("k3mw-7tqa-x2pd-9rvn")).toBeNull();
    expect(passEnds("")).toBeNull();
  });
});

describe("videoConstraints", () => {
  it("asks for the camera that looks away unless one was chosen", () => {
    expect(videoConstraints(usual)).toEqual({ frameRate: { ideal: 30 }, height: { ideal: 720 }, width: { ideal: 1280 }, facingMode: { ideal: "environment" } });
    expect(videoConstraints({ ...usual, camera: "id", height: 0 })).toEqual({ frameRate: { ideal: 30 }, deviceId: { exact: "id" } });
  });
});

describe("mostBits", () => {
  it("grows with lines and frames", () => {
    expect(mostBits(1080, 30)).toBeGreaterThan(mostBits(720, 30));
    expect(mostBits(720, 15)).toBe(mostBits(720, 30) / 2);
    expect(mostBits(0, 30)).toBe(mostBits(720, 30));
  });
});

describe("codings", () => {
  const h264 = (mode: number) => ({ mimeType: "video/H264", sdpFmtpLine: `packetization-mode=${mode}` });
  const [vp8, rtx] = [{ mimeType: "video/VP8" }, { mimeType: "video/rtx" }];
  it("are H.264 before VP8, of what the browser has", () => {
    expect(codingsOf([vp8, rtx, h264(1)])).toEqual(["H264", "VP8"]);
    expect(codingsOf([vp8, rtx])).toEqual(["VP8"]);
    expect(codingsOf([{ mimeType: "video/AV1" }])).toEqual([]);
  });
  it("offer what may be cut into packets first, and keep what repeats packets", () => {
    expect(codecsOf([vp8, h264(0), rtx, h264(1)], "H264")).toEqual([h264(1), h264(0), rtx]);
    expect(codecsOf([vp8, h264(0), rtx], "VP8")).toEqual([vp8, rtx]);
  });
});

describe("bitsText", () => {
  it("is short", () => {
    expect([bitsText(640), bitsText(812_300), bitsText(2_140_000)]).toEqual(["1 kbit/s", "812 kbit/s", "2.1 Mbit/s"]);
  });
});
