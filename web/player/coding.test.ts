import { afterEach, describe, expect, it, vi } from "vitest";

import { codingNote, decodesOwn, withOwn } from "./coding";

const h265 = { codec: "H265", parameter: "hvc1.1.6.L93.90" };
const video = { canPlayType: () => "" as const };

describe("the camera's own coding", () => {
  afterEach(() => vi.unstubAllGlobals());

  it("is no question where every browser decodes it", () => {
    expect(decodesOwn({ codec: "H264", parameter: "avc1.42E01E" }, "fragments", video)).toBe(true);
    expect(codingNote({ codec: "JPEG", parameter: "" }, "hls", true)).toBe("");
  });

  it("is asked of Media Source Extensions", () => {
    const asked = vi.fn((_kind: string) => true);
    vi.stubGlobal("MediaSource", { isTypeSupported: asked });
    expect(decodesOwn(h265, "hls", video)).toBe(true);
    expect(asked).toHaveBeenCalledWith('video/mp4; codecs="hvc1.1.6.L93.90"');
  });

  it("is asked of the receiver for WebRTC", () => {
    const codecs = [{ mimeType: "video/H264" }];
    vi.stubGlobal("RTCRtpReceiver", { getCapabilities: () => ({ codecs }) });
    expect(decodesOwn(h265, "webrtc", video)).toBe(false);
    codecs.push({ mimeType: "video/H265" });
    expect(decodesOwn(h265, "webrtc", video)).toBe(true);
  });

  it("is asked for with the address", () => {
    expect(withOwn("http://cams.test/media/a/live.mp4?rendition=small", h265)).toBe("http://cams.test/media/a/live.mp4?rendition=small&decodes=h265");
    expect(withOwn("http://cams.test/x", { codec: "H264", parameter: "" })).toBe("http://cams.test/x");
    expect(withOwn("http://cams.test/x", undefined)).toBe("http://cams.test/x");
  });

  it("is told", () => {
    expect(codingNote(h265, "fragments", true)).toBe("H.265 as the camera sends it");
    expect(codingNote(h265, "hls", false)).toBe("H.264 made from the camera's H.265, which this browser does not decode");
    expect(codingNote(h265, "pictures", false)).toBe("");
  });
});
