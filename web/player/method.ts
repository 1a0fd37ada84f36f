// The ways to play, behind one face.
import { hasWebRTC, WhepMethod } from "./whep";

export interface MethodEvents {
  /** The way came to its end; why is for the details line. */
  onFailed(why: string): void;
}

export interface Method {
  readonly name: string;
  readonly why: string;
  /** Capture time of the picture on show, milliseconds since 1970, if known. */
  capturedAt(): number | null;
  /** How long nothing may move before this way is given up, milliseconds. */
  patience(): number;
  /** Go to the newest picture. */
  toLive(): void;
  close(): void;
}

type StartDate = HTMLVideoElement & { getStartDate?: () => Date };

const hlsType = "application/vnd.apple.mpegurl";

/**
 * Apple's engine plays HLS itself and best. Chromium does too by now, but begins
 * with the oldest segment of the list, so it gets the script.
 */
function playsByItself(video: HTMLVideoElement): boolean {
  return video.canPlayType(hlsType) !== "" && navigator.vendor.startsWith("Apple");
}

function hasMediaSource(): boolean {
  return "MediaSource" in globalThis || "ManagedMediaSource" in globalThis;
}

/** What a page asks for: the least delay, or what plays everywhere. */
export type Preference = "delay" | "reach";

export interface Addresses {
  hls: string;
  whep: string;
}

/** Chooses how to play, says why, and starts. unfit says why WebRTC did not do a moment ago. */
export async function startMethod(video: HTMLVideoElement, at: Addresses, prefer: Preference, unfit: string | null, events: MethodEvents): Promise<Method> {
  if (prefer === "delay" && unfit === null && hasWebRTC()) {
    const method = new WhepMethod(video, at.whep, events);
    await method.open();
    return method;
  }
  return startHLS(video, at.hls, events);
}

async function startHLS(video: HTMLVideoElement, url: string, events: MethodEvents): Promise<Method> {
  if (playsByItself(video)) {
    return new NativeMethod(video, url, "this browser plays HLS itself", events);
  }
  if (hasMediaSource()) {
    const { ScriptMethod } = await import("./script");
    return new ScriptMethod(video, url, events);
  }
  if (video.canPlayType(hlsType) !== "") {
    return new NativeMethod(video, url, "no Media Source Extensions here", events);
  }
  throw new Error("This browser can play HLS neither by itself nor by a script.");
}

class NativeMethod implements Method {
  readonly name = "HLS, by the browser";
  private readonly onError: () => void;

  constructor(
    private readonly video: StartDate,
    url: string,
    readonly why: string,
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
