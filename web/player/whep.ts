// WebRTC, opened by WHEP: one offer, one answer.
import { reason } from "./answer";
import { LipSync } from "./lipsync";
import type { Method, MethodEvents } from "./method";

interface FrameMetadata {
  rtpTimestamp?: number;
}

/** When a picture was taken, by its RTP timestamp. */
interface Mark {
  rtpTime: number;
  capturedAt: number;
}

const ticksPerMs = 90;
const markEvery = 5000;

type FrameVideo = HTMLVideoElement & {
  requestVideoFrameCallback?: (callback: (now: number, metadata: FrameMetadata) => void) => number;
  cancelVideoFrameCallback?: (handle: number) => void;
};

export function hasWebRTC(): boolean {
  return "RTCPeerConnection" in globalThis;
}

const answerWithin = 12_000;

export class WhepMethod implements Method {
  readonly name = "WebRTC";
  private readonly pc: RTCPeerConnection;
  private readonly abort = new AbortController();
  private session: string | null = null;
  private shown: number | null = null; // RTP timestamp
  private shownFrames: number | null = null; // null where the engine does not tell
  private mark: Mark | null = null;
  private timer: ReturnType<typeof setInterval> | undefined;
  private frame = 0;
  private lips: LipSync | null = null;
  private closed = false;

  constructor(
    private readonly video: FrameVideo,
    private readonly url: string,
    private readonly events: MethodEvents,
    /** Audio makes the pictures wait for it, so it is asked for only when it is to be heard. */
    readonly audio: boolean,
    iceServers: RTCIceServer[],
  ) {
    this.pc = new RTCPeerConnection({ iceServers });
    for (const kind of audio ? ["video", "audio"] : ["video"]) {
      const { receiver } = this.pc.addTransceiver(kind, { direction: "recvonly" });
      if ("jitterBufferTarget" in receiver) receiver.jitterBufferTarget = 0;
      if (kind === "video" && audio) this.lips = new LipSync(this.pc, receiver);
    }
    const stream = new MediaStream();
    this.pc.ontrack = (e) => {
      stream.addTrack(e.track);
      if (this.video.srcObject !== stream) this.video.srcObject = stream;
      if (e.track.kind === "video") this.watchFrames();
    };
    this.pc.onconnectionstatechange = () => {
      if (this.pc.connectionState === "failed") this.events.onFailed("no connection by WebRTC");
    };
  }

  /** Offers, and takes the answer. It throws when there is none. */
  async open(): Promise<void> {
    const timer = setTimeout(() => this.abort.abort(), answerWithin);
    try {
      await this.pc.setLocalDescription(await this.pc.createOffer());
      const answer = await fetch(this.url, {
        method: "POST",
        headers: { "Content-Type": "application/sdp" },
        body: this.pc.localDescription?.sdp,
        signal: this.abort.signal,
      });
      if (!answer.ok) throw new Error(await reason(answer, "WebRTC"));
      this.session = new URL(answer.headers.get("Location") ?? "", answer.url).href;
      await this.pc.setRemoteDescription({ type: "answer", sdp: await answer.text() });
    } catch (e) {
      this.close();
      throw e;
    } finally {
      clearTimeout(timer);
    }
    if (this.closed) {
      this.leave();
      return;
    }
    setTimeout(() => void this.askMark(), 1000);
    this.timer = setInterval(() => void this.askMark(), markEvery);
  }

  private watchFrames(): void {
    const { video } = this;
    if (!video.requestVideoFrameCallback || this.closed) return;
    this.frame = video.requestVideoFrameCallback((_, metadata) => {
      this.shown = metadata.rtpTimestamp ?? null;
      this.shownFrames = (this.shownFrames ?? 0) + 1;
      this.watchFrames();
    });
  }

  /** Asks the service when the pictures of a timestamp were taken. */
  private async askMark(): Promise<void> {
    if (this.session === null) return;
    try {
      const answer = await fetch(this.session, { cache: "no-store", signal: this.abort.signal });
      const mark = (await answer.json()) as Mark;
      if (answer.ok && mark.capturedAt > 0) this.mark = mark;
    } catch {
      // the delay is then not known for a while
    }
  }

  capturedAt(): number | null {
    if (this.shown === null || this.mark === null) return null;
    const ticks = (this.shown - this.mark.rtpTime) | 0; // over a wrap
    return this.mark.capturedAt + ticks / ticksPerMs;
  }

  patience(): number {
    return 8000; // the service says after 5 s of its own that the camera is away
  }

  frames(): number | null {
    return this.shownFrames;
  }

  toLive(): void {
    // It is live all the time.
  }

  close(): void {
    if (this.closed) return;
    this.closed = true;
    this.abort.abort();
    clearInterval(this.timer);
    this.lips?.close();
    this.video.cancelVideoFrameCallback?.(this.frame);
    this.pc.close();
    this.video.srcObject = null;
    this.leave();
  }

  private leave(): void {
    if (this.session === null) return;
    void fetch(this.session, { method: "DELETE", keepalive: true }).catch(() => undefined); // it ends by itself, too
    this.session = null;
  }
}

const triedFor = 6000;

/** Says whether WebRTC brings pictures now; nobody sees them. */
export async function bringsPictures(url: string, iceServers: RTCIceServer[]): Promise<boolean> {
  const video = document.createElement("video");
  video.muted = true;
  const method = new WhepMethod(video, url, { onFailed: () => undefined }, false, iceServers);
  try {
    await method.open();
    await video.play();
    return await new Promise((resolve) => {
      const timer = setTimeout(() => resolve(false), triedFor);
      video.ontimeupdate = () => {
        if (video.currentTime === 0) return;
        clearTimeout(timer);
        resolve(true);
      };
    });
  } catch {
    return false;
  } finally {
    method.close();
  }
}
