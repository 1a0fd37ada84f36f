// Starts to play by a method, and says which cannot be had.
import { FragmentsMethod } from "./fragments";
import type { Method, MethodEvents, Stage } from "./method";
import { deliveryOf, type MethodKey } from "./order";
import { PicturesMethod } from "./pictures";
import { hasMediaSource } from "./source";
import { hasWebRTC, WhepMethod } from "./whep";

type StartDate = HTMLVideoElement & { getStartDate?: () => Date };

const hlsType = "application/vnd.apple.mpegurl";

/**
 * Apple's browsers play HLS themselves and best. Chromium does too by now, but begins
 * with the oldest segment of the list, and Apple's engine on Linux falls half a minute
 * behind: they get the script.
 */
export function playsByItself(video: HTMLVideoElement): boolean {
  return video.canPlayType(hlsType) !== "" && navigator.vendor.startsWith("Apple") && !navigator.platform.startsWith("Linux");
}

export interface Addresses {
  /** Of the service. */
  service: string;
  hls: string;
  whep: string;
  fragments: string;
  pictures: string;
  /** What to keep in store by each delivery, seconds. */
  ahead: Readonly<Record<string, number>>;
  iceServers: RTCIceServer[];
  /** HLS as plain players play it, without parts. */
  plain: boolean;
}

const nameOf: Record<MethodKey, string> = { webrtc: "WebRTC", fragments: "live fragments", hls: "HLS", pictures: "Motion JPEG" };

/** Says why a method cannot be had at all, from the feed or by the engine, or null. */
export function missing(key: MethodKey, video: HTMLVideoElement, deliveries: readonly string[]): string | null {
  if (key === "webrtc" && !hasWebRTC()) return "this browser has no WebRTC";
  if (key === "hls" && !hasMediaSource() && video.canPlayType(hlsType) === "") return "this browser plays no HLS";
  if (key === "fragments" && !hasMediaSource()) return "this browser has no Media Source Extensions";
  return deliveries.includes(deliveryOf[key]) ? null : `this feed is not given by ${nameOf[key]}`;
}

/** Starts to play by a method. */
export async function startMethod(key: MethodKey, stage: Stage, at: Addresses, audio: boolean, events: MethodEvents): Promise<Method> {
  switch (key) {
    case "webrtc": {
      const method = new WhepMethod(stage.video, at.whep, events, audio, at.iceServers);
      await method.open();
      return method;
    }
    case "fragments": {
      const method = new FragmentsMethod(stage.video, `${at.fragments}${at.fragments.includes("?") ? "&" : "?"}audio=${audio ? "on" : "off"}`, events, audio, at.ahead.fragments ?? 0);
      await method.open();
      return method;
    }
    case "pictures":
      return new PicturesMethod(stage.image, at.pictures, events);
    case "hls":
      return startHLS(stage.video, at, events);
  }
}

async function startHLS(video: HTMLVideoElement, at: Addresses, events: MethodEvents): Promise<Method> {
  if (hasMediaSource() && !playsByItself(video)) {
    const { ScriptMethod } = (await import(/* @vite-ignore */ at.service + __HLS_PATH__)) as typeof import("./hls");
    return new ScriptMethod(video, at.hls, events, at.plain ? null : (at.ahead.hls ?? 0));
  }
  return new NativeMethod(video, at.hls, events);
}

class NativeMethod implements Method {
  readonly name = "HLS, by the browser";
  private readonly onError: () => void;

  constructor(
    private readonly video: StartDate,
    url: string,
    events: MethodEvents,
  ) {
    this.onError = () => events.onFailed(video.error?.message ?? "the browser gave up");
    video.addEventListener("error", this.onError);
    video.src = url;
  }

  capturedAt(): number | null {
    const start = this.video.getStartDate?.().getTime();
    return start === undefined || Number.isNaN(start) ? null : start + this.video.currentTime * 1000;
  }

  patience(): number {
    return 15_000; // it does not say how long its segments are
  }

  toLive(): void {
    const { seekable } = this.video;
    if (seekable.length > 0) this.video.currentTime = Math.max(0, seekable.end(seekable.length - 1) - 3);
  }

  close(): void {
    this.video.removeEventListener("error", this.onError);
    this.video.removeAttribute("src");
    this.video.load();
  }
}
