// HLS through hls.js, for engines with Media Source Extensions.
import Hls, { type ErrorData, type Level } from "hls.js";

import { CatchUp } from "./catchup";
import { leastInWebKitHLS, PlaceKeeper } from "./keeper";
import type { Method, MethodEvents } from "./method";

const patience = 15_000; // the service holds a playlist back for up to 10 s, until there is one

/** Bits a second taken for granted at first, so that it begins with the best: others may have to be made. */
const firstEstimate = 50_000_000;

const policy = {
  default: {
    maxTimeToFirstByteMs: patience,
    maxLoadTimeMs: 2 * patience,
    timeoutRetry: { maxNumRetry: 2, retryDelayMs: 500, maxRetryDelayMs: 4000 },
    errorRetry: { maxNumRetry: 4, retryDelayMs: 500, maxRetryDelayMs: 4000 },
  },
};

/** What the service says of a request that it refused. */
function told(data: ErrorData): string | null {
  const request: unknown = data.networkDetails;
  if (!(request instanceof XMLHttpRequest)) return null;
  try {
    return (JSON.parse(request.responseText) as { detail?: string }).detail ?? null;
  } catch {
    return null;
  }
}

/** A rendition's name is the folder that its list is in. */
function nameOf(level: Level): string | null {
  return new URL(level.uri, location.href).pathname.split("/").at(-2) ?? null;
}

export class ScriptMethod implements Method {
  readonly name = "HLS, by script";
  private readonly hls: Hls;
  private readonly catchUp = new CatchUp();
  private readonly timer: ReturnType<typeof setInterval>;
  private chosen: string | null = null; // rendition, by the viewer
  private place: PlaceKeeper | null = null; // with low latency
  private repaired = 0;

  constructor(
    private readonly video: HTMLVideoElement,
    url: string,
    events: MethodEvents,
    /** What to keep in store with low latency, seconds; null for none. */
    private readonly ahead: number | null,
  ) {
    this.hls = new Hls({
      lowLatencyMode: ahead !== null,
      maxLiveSyncPlaybackRate: 1, // its place is kept here
      abrEwmaDefaultEstimate: firstEstimate,
      backBufferLength: 10,
      maxBufferLength: 20,
      liveSyncDurationCount: 3,
      liveSyncOnStallIncrease: 0, // its place stays where it is; what was lost is caught up with
      liveMaxLatencyDurationCount: 10, // further behind, the library jumps by itself
      manifestLoadPolicy: policy,
      playlistLoadPolicy: policy,
      fragLoadPolicy: policy,
    });
    this.hls.on(Hls.Events.ERROR, (_, data) => this.failed(data, events));
    this.hls.loadSource(url);
    this.hls.attachMedia(video);
    this.timer = setInterval(() => this.keepUp(), 1000);
  }

  /** Keeps the place: by what is in store where there are parts, by the list where there are none. */
  private keepUp(): void {
    const { video } = this;
    this.insist();
    if (this.ahead !== null && this.hls.latestLevelDetails?.partList) {
      this.place ??= new PlaceKeeper(video, this.ahead, leastInWebKitHLS);
      return;
    }
    this.place?.close(); // the feed was begun anew, with other lengths
    this.place = null;
    const place = this.hls.liveSyncPosition;
    if (place === null || video.paused || video.seeking || video.readyState < HTMLMediaElement.HAVE_CURRENT_DATA) return;
    const { rate, jump } = this.catchUp.step(place - video.currentTime);
    if (video.playbackRate !== rate) video.playbackRate = rate;
    if (jump) video.currentTime = place;
  }

  private failed(data: ErrorData, events: MethodEvents): void {
    if (!data.fatal) return;
    if (data.type === Hls.ErrorTypes.MEDIA_ERROR && this.repaired < 2) {
      this.repaired++;
      this.hls.recoverMediaError();
      return;
    }
    events.onFailed(told(data) ?? data.details);
  }

  capturedAt(): number | null {
    return this.hls.playingDate?.getTime() ?? null;
  }

  patience(): number {
    const target = this.hls.latestLevelDetails?.targetduration;
    return target === undefined ? patience : Math.max(6000, target * 1500);
  }

  select(rendition: string | null): boolean {
    const at = this.levelOf(rendition);
    if (rendition !== null && at < 0) return false;
    this.chosen = rendition;
    this.hls.nextLevel = at;
    return true;
  }

  private levelOf(rendition: string | null): number {
    return rendition === null ? -1 : this.hls.levels.findIndex((l) => nameOf(l) === rendition);
  }

  /** The library goes on with another level when one was slow in coming, and stays there. */
  private insist(): void {
    if (this.chosen === null) return;
    const at = this.levelOf(this.chosen);
    if (at >= 0 && this.hls.currentLevel !== at && this.hls.nextLevel !== at) this.hls.nextLevel = at;
  }

  playing(): string | null {
    const level = this.hls.levels[this.hls.currentLevel];
    return level ? nameOf(level) : null;
  }

  toLive(): void {
    const at = this.hls.liveSyncPosition;
    if (at !== null && this.hls.media) this.hls.media.currentTime = at;
  }

  close(): void {
    clearInterval(this.timer);
    this.place?.close();
    this.video.playbackRate = 1;
    this.hls.destroy();
  }
}

/** Plays a playlist that has an end, from a place on. */
export function playList(video: HTMLVideoElement, url: string, place: number, failed: (why: string) => void): { close(): void } {
  const hls = new Hls({ startPosition: place, backBufferLength: 30, maxBufferLength: 20, abrEwmaDefaultEstimate: firstEstimate, startFragPrefetch: true });
  let repaired = 0;
  hls.on(Hls.Events.ERROR, (_, data) => {
    if (!data.fatal) return;
    if (data.type === Hls.ErrorTypes.MEDIA_ERROR && repaired++ < 2) hls.recoverMediaError();
    else failed(told(data) ?? data.details);
  });
  hls.loadSource(url);
  hls.attachMedia(video);
  return { close: () => hls.destroy() };
}
