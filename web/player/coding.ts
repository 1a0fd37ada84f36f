// What the camera's own video is to this browser: taken as it is, or had made H.264.
import type { FeedState } from "./link";
import type { MethodKey } from "./order";
import { mediaSource } from "./source";

type Coding = FeedState["coding"];

/** Codecs that every browser decodes, and that nobody asks about. */
const everywhere: readonly string[] = ["", "H264", "JPEG"];

/** Whether this browser decodes what the camera sends, by a method. */
export function decodesOwn(coding: Coding, key: MethodKey, video: Pick<HTMLVideoElement, "canPlayType">): boolean {
  if (!coding || everywhere.includes(coding.codec)) return true;
  if (key === "webrtc") {
    const mime = `video/${coding.codec}`.toLowerCase();
    return globalThis.RTCRtpReceiver?.getCapabilities?.("video")?.codecs.some((c) => c.mimeType.toLowerCase() === mime) ?? false;
  }
  const kind = `video/mp4; codecs="${coding.parameter}"`;
  const source = mediaSource();
  return source ? source.isTypeSupported(kind) : video.canPlayType(kind) !== "";
}

/** What the viewer gets, where that is not what every browser gets. */
export function codingNote(coding: Coding, key: MethodKey, own: boolean): string {
  if (!coding || everywhere.includes(coding.codec) || key === "pictures") return "";
  const name = coding.codec.replace(/^H(\d)/, "H.$1");
  return own ? `${name} as the camera sends it` : `H.264 made from the camera's ${name}, which this browser does not decode`;
}

/** The address, asking for the camera's own where this browser decodes it. */
export function withOwn(address: string, coding: Coding): string {
  if (!coding || everywhere.includes(coding.codec)) return address;
  const url = new URL(address);
  url.searchParams.set("decodes", coding.codec.toLowerCase());
  return url.href;
}
