// HLS through hls.js, for engines with Media Source Extensions.
import Hls, { type ErrorData } from "hls.js/light";

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
  private repaired = 0;

  constructor(video: HTMLVideoElement, url: string, events: MethodEvents) {
    this.hls = new Hls({
      lowLatencyMode: false,
      backBufferLength: 10,
      maxBufferLength: 20,
      maxLiveSyncPlaybackRate: 1.15,
      liveSyncDurationCount: 3,
      liveMaxLatencyDurationCount: 10, // further behind, it goes to the newest
      manifestLoadPolicy: policy,
      playlistLoadPolicy: policy,
      fragLoadPolicy: policy,
    });
    this.hls.on(Hls.Events.ERROR, (_, data) => this.failed(data, events));
    this.hls.loadSource(url);
    this.hls.attachMedia(video);
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
    this.hls.destroy();
  }
}
