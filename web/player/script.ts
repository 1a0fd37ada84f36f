// HLS through hls.js, for engines with Media Source Extensions.
import Hls, { type ErrorData } from "hls.js/light";

import { CatchUp } from "./catchup";
import type { Method, MethodEvents } from "./method";

const patience = 15_000; // the service holds a playlist back for up to 10 s, until there is one

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

export class ScriptMethod implements Method {
  readonly name = "HLS, by script";
  private readonly hls: Hls;
  private readonly catchUp = new CatchUp();
  private readonly timer: ReturnType<typeof setInterval>;
  private repaired = 0;

  constructor(
    private readonly video: HTMLVideoElement,
    url: string,
    events: MethodEvents,
  ) {
    this.hls = new Hls({
      lowLatencyMode: false,
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

  /** The library keeps its place only in its low-latency mode. */
  private keepUp(): void {
    const { video } = this;
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

  toLive(): void {
    const at = this.hls.liveSyncPosition;
    if (at !== null && this.hls.media) this.hls.media.currentTime = at;
  }

  close(): void {
    clearInterval(this.timer);
    this.video.playbackRate = 1;
    this.hls.destroy();
  }
}
