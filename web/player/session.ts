// One feed on one video element: starts when there is something to play, and
// keeps it going over reboots, restarts and gaps.
import { StateLink, type FeedState } from "./link";
import { bringsPictures } from "./whep";
import { startMethod, type Addresses, type Method, type Preference } from "./method";

export interface SessionView {
  /** Pictures are on show. */
  onPlaying(): void;
  /** Nothing to show; the sentences say what is waited for. */
  onWaiting(reason: string, remedy?: string): void;
  onTitle(title: string): void;
}

export interface Details {
  method: string;
  why: string;
  size: string;
  frameRate: number | null;
  delay: number | null;
}

const tick = 500;
const firstPause = 500;
const longestPause = 8000;
const webRTCAgain = 20_000;

export class Session {
  private readonly link: StateLink;
  private readonly watch: ReturnType<typeof setInterval>;
  private state: FeedState | null = null;
  private method: Method | null = null;
  private run = "";
  private starting = false;
  private closed = false;
  private pause = firstPause;
  private notBefore = 0;
  private position = -1;
  private movedAt = Date.now();
  private lastFailure = "";
  private unfit: string | null = null; // why WebRTC did not do
  private again: ReturnType<typeof setTimeout> | undefined;
  private frames: { at: number; count: number } | null = null;
  private frameRate: number | null = null;

  // A page that goes to the browser's store of past pages must not keep its
  // connections.
  private readonly onHide = () => this.link.suspend();
  private readonly onShow = () => this.listen();

  constructor(
    private readonly video: HTMLVideoElement,
    private readonly base: string,
    private readonly rendition: string | null,
    private readonly prefer: Preference,
    private readonly view: SessionView,
  ) {
    view.onWaiting("Asking the service …");
    this.link = new StateLink(base, {
      onState: (s) => this.onState(s),
      onSilence: () => this.onSilence(),
    });
    this.watch = setInterval(() => this.check(), tick);
    addEventListener("pagehide", this.onHide);
    addEventListener("pageshow", this.onShow);
  }

  close(): void {
    this.closed = true;
    removeEventListener("pagehide", this.onHide);
    removeEventListener("pageshow", this.onShow);
    clearInterval(this.watch);
    clearTimeout(this.again);
    this.link.close();
    this.drop();
  }

  toLive(): void {
    this.method?.toLive();
  }

  details(): Details {
    const captured = this.method?.capturedAt() ?? null;
    const { videoWidth: w, videoHeight: h } = this.video;
    return {
      method: this.method?.name ?? "–",
      why: this.method?.why ?? this.lastFailure,
      size: w > 0 ? `${w}×${h}` : "–",
      frameRate: this.frameRate,
      delay: captured === null ? null : this.link.now() - captured,
    };
  }

  private onState(state: FeedState): void {
    this.state = state;
    this.view.onTitle(state.title);
    if (this.method && state.run !== this.run) {
      // The feed was started anew: nothing of the run before may be played.
      this.drop();
      this.pause = firstPause;
    }
    this.check();
  }

  private onSilence(): void {
    if (!this.flowing()) this.view.onWaiting("The service does not answer. It is asked again and again.");
  }

  private flowing(): boolean {
    return this.method !== null && Date.now() - this.movedAt < 1500;
  }

  /** Runs every half second: starts, watches, restarts. */
  private check(): void {
    const now = Date.now();
    if (this.video.currentTime !== this.position) {
      this.position = this.video.currentTime;
      this.movedAt = now;
    }
    this.countFrames(now);
    if (this.method === null) {
      this.tryStart(now);
      return;
    }
    if (this.flowing() && this.video.readyState >= HTMLMediaElement.HAVE_CURRENT_DATA) {
      this.pause = firstPause;
      this.view.onPlaying();
      this.link.suspend();
    } else if (!this.video.paused && now - this.movedAt > 1500) {
      this.listen();
      this.explain();
      if (now - this.movedAt > this.method.patience() && this.state?.ready) this.fail("no picture for a while");
    }
  }

  /** Asks for the state again; what was known before is old. */
  private listen(): void {
    if (this.link.active) return;
    this.state = null;
    this.link.resume();
  }

  private explain(): void {
    if (this.state === null) this.view.onWaiting("Waiting for the next pictures …");
    else if (this.state.state === "live") this.view.onWaiting("Waiting for the next pictures …");
    else this.view.onWaiting(this.state.reason, this.state.remedy);
  }

  private countFrames(now: number): void {
    const count = this.video.getVideoPlaybackQuality?.().totalVideoFrames;
    if (!count) return; // some engines have the counter and never count
    if (this.frames === null || count < this.frames.count) {
      this.frames = { at: now, count };
    } else if (now - this.frames.at >= 2000) {
      this.frameRate = ((count - this.frames.count) * 1000) / (now - this.frames.at);
      this.frames = { at: now, count };
    }
  }

  private tryStart(now: number): void {
    if (this.starting || this.state === null || now < this.notBefore) return;
    if (!this.state.ready) {
      this.view.onWaiting(this.state.reason, this.state.remedy);
      return;
    }
    this.starting = true;
    this.link.suspend(); // its connection is needed now
    void this.start(this.state.run);
  }

  private async start(run: string): Promise<void> {
    try {
      const method = await startMethod(this.video, this.addresses(), this.prefer, this.unfit, { onFailed: (why) => this.fail(why) });
      if (this.closed) {
        method.close();
        return;
      }
      this.method = method;
      this.run = run;
      this.movedAt = Date.now();
      await this.video.play().catch(() => undefined); // the viewer then starts it by hand
    } catch (e) {
      this.fail(e instanceof Error ? e.message : String(e));
    } finally {
      this.starting = false;
    }
  }

  private addresses(): Addresses {
    const { rendition } = this;
    const list = rendition ? `${encodeURIComponent(rendition)}.m3u8` : "index.m3u8";
    const query = rendition ? `?rendition=${encodeURIComponent(rendition)}` : "";
    return { hls: new URL(`${this.base}/hls/${list}`, location.href).href, whep: new URL(`${this.base}/whep${query}`, location.href).href };
  }

  /** WebRTC is left alone for a while after it has failed; then it is tried in the background. */
  private fail(why: string): void {
    this.lastFailure = why;
    if (this.prefer === "delay" && (this.method === null || this.method.name === "WebRTC") && this.unfit === null) {
      this.unfit = why;
      this.again = setTimeout(() => void this.tryWebRTC(), webRTCAgain);
    }
    this.drop();
    this.listen();
    this.notBefore = Date.now() + this.pause * (0.75 + Math.random() / 2);
    this.pause = Math.min(this.pause * 2, longestPause);
    if (this.state?.ready) this.view.onWaiting(`Trying again (${why}) …`);
    else this.explain();
  }

  /** Tries WebRTC unseen; when it brings pictures, it takes over. */
  private async tryWebRTC(): Promise<void> {
    if (this.closed) return;
    if (this.method === null || (await bringsPictures(this.addresses().whep))) {
      this.unfit = null;
      if (!this.closed && this.method?.name !== "WebRTC") this.drop(); // the next check begins with WebRTC
      return;
    }
    if (!this.closed) this.again = setTimeout(() => void this.tryWebRTC(), webRTCAgain);
  }

  private drop(): void {
    this.method?.close();
    this.method = null;
    this.position = -1;
    this.frames = null;
    this.frameRate = null;
  }
}
