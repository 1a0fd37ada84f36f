// One feed on one video element: starts when there is something to play, and
// keeps it going over reboots, restarts and gaps.
import { BackOff } from "./backoff";
import { codingNote, decodesOwn, withOwn } from "./coding";
import { choicesOf, isSize, queryOf, type Choice } from "./choices";
import { StateLink, type FeedState, type Rendition } from "./link";
import type { Lens } from "./around";
import { bringsPictures } from "./whep";
import { keepLastFrame } from "./lastframe";
import type { Method, Stage } from "./method";
import { missing, startMethod, type Addresses } from "./methods";
import { decodesH265, Reporter, sendReport } from "./report";
import { methodsOf, patienceWith, wantQuery, type MethodKey, type Want } from "./order";

export interface SessionView {
  /** Pictures are on show. */
  onPlaying(): void;
  /** Nothing to show; the sentences say what is waited for. */
  /** forPerson: nothing happens by itself, somebody has to act. */
  onWaiting(reason: string, remedy?: string, forPerson?: boolean): void;
  onTitle(title: string): void;
  /** How the picture is projected; null where it is flat. */
  onLens(lens: Lens | null): void;
  /** Whether whoever watches may go back in time. */
  onGoBack(may: boolean): void;
  /** What can be chosen by the method that plays, and what is; null is automatic. */
  onChoices(choices: readonly Choice[], chosen: string | null): void;
  /** The service lets nobody in here. */
  onRefused(reason: string, remedy: string): void;
  /** What is played from here on: whether there is audio, or why not. */
  onMethod(key: MethodKey, audio: boolean, why: string): void;
  /** The browser lets nothing start with audio before the viewer has pressed something. */
  onAudioRefused(): void;
}

export interface Details {
  method: string;
  why: string;
  size: string;
  frameRate: number | null;
  delay: number | null;
  /** How far behind it may be, seconds; 0 for no limit. */
  within: number;
  /** The rendition, where one was chosen by the method. */
  rendition: string | null;
}

const tick = 500;
/** Nothing has moved for so long: it is said. */
const stillAfter = 1300;
const firstPause = 500;
const longestPause = 8000;
const betterAgain = 20_000;
/** Renditions that no engineer has made. */
const madeByItself: readonly string[] = ["original", "automatic"];

export class Session {
  private readonly link: StateLink;
  private readonly watch: ReturnType<typeof setInterval>;
  private state: FeedState | null = null;
  private method: Method | null = null;
  private key: MethodKey | null = null; // of the method, or of the one that is started
  private why = "";
  private own = true; // this browser decodes what the camera sends
  private run = "";
  private starting = false;
  private closed = false;
  private leaving = false; // the page goes
  private reports = false; // whether the service wants any
  private readonly reporter = new Reporter((report) => {
    if (this.reports) sendReport(this.base, report);
  }, decodesH265);
  private readonly backOff = new BackOff(firstPause, longestPause);
  private notBefore = 0;
  private position = -1;
  private movedAt = Date.now();
  private lastFailure = "";
  private choices: Choice[] = [];
  private switched = false; // what is played holds all renditions
  private readonly unfit = new Map<MethodKey, string>(); // why a method did not do a moment ago
  private failures = 0; // in a row
  private audioThere = false; // the method could have audio, for which it has to be asked
  private play: FeedState["play"] = { order: [], why: "", within: 0, ahead: {} };
  private iceServers: RTCIceServer[] = [];
  private again: ReturnType<typeof setTimeout> | undefined;
  private frames: { at: number; count: number } | null = null;
  private frameRate: number | null = null;

  // A page that goes to the browser's store of past pages must not keep its
  // connections.
  private readonly onHide = () => {
    this.reporter.over();
    this.leaving = true; // what breaks off now has not failed
    this.link.suspend();
  };
  private readonly onShow = () => {
    this.leaving = false;
    this.listen();
  };

  constructor(
    private readonly stage: Stage,
    private readonly service: string,
    private readonly base: string,
    private rendition: string | null,
    private readonly want: Want,
    private readonly view: SessionView,
  ) {
    view.onWaiting("Asking the service …");
    this.link = new StateLink(base, {
      onState: (s) => this.onState(s),
      onSilence: () => this.onSilence(),
      onRefused: (reason, remedy) => this.onRefused(reason, remedy),
    }, wantQuery(want));
    this.watch = setInterval(() => this.check(), tick);
    this.video.addEventListener("volumechange", this.onVolume);
    addEventListener("pagehide", this.onHide);
    addEventListener("pageshow", this.onShow);
  }

  close(): void {
    this.closed = true;
    this.video.removeEventListener("volumechange", this.onVolume);
    removeEventListener("pagehide", this.onHide);
    removeEventListener("pageshow", this.onShow);
    clearInterval(this.watch);
    clearTimeout(this.again);
    this.link.close();
    this.drop();
  }

  private get video(): HTMLVideoElement {
    return this.stage.video;
  }

  toLive(): void {
    this.method?.toLive();
  }

  /** The method that brings what is on show. */
  get methodKey(): MethodKey | null {
    return this.method ? this.key : null;
  }

  /** Address of a still of what is played. */
  get still(): string {
    return `${this.base}/still.jpg${queryOf("pictures", this.rendition)}`;
  }

  details(): Details {
    const captured = this.method?.capturedAt() ?? null;
    const { videoWidth, videoHeight } = this.video;
    const [w, h] = this.method?.size?.() ?? [videoWidth, videoHeight];
    return {
      method: this.method?.name ?? "–",
      why: this.method ? this.why : this.lastFailure,
      size: w > 0 ? `${w}×${h}` : "–",
      frameRate: this.frameRate,
      delay: captured === null ? null : this.link.now() - captured,
      within: this.play.within,
      rendition: this.rendition ?? this.method?.playing?.() ?? null,
    };
  }

  /** Whether what is played is a flat view that was cut out. */
  private flatView(state: FeedState): boolean {
    return state.renditions.some((r) => r.name === this.rendition && r.flat === true);
  }

  private onState(state: FeedState): void {
    this.state = state;
    this.reports = state.reports ?? false;
    if (this.reports) decodesH265(); // the answer takes a moment
    this.view.onGoBack(state.goBack === true);
    this.view.onLens(this.flatView(state) ? null : (state.lens ?? null));
    this.view.onTitle(state.title);
    this.forgetRendition(state.renditions);
    if (this.method && state.run !== this.run) {
      // The feed was started anew: nothing of the run before may be played.
      this.drop();
      this.backOff.reset();
    }
    this.check();
  }

  /** A rendition that is there no longer is played no longer: the feed goes on. */
  private forgetRendition(renditions: readonly Rendition[]): void {
    const { rendition } = this;
    if (rendition === null || isSize(rendition) || madeByItself.includes(rendition) || renditions.some((r) => r.name === rendition)) return;
    this.rendition = null;
    this.switched = false;
  }

  /** What was let in before is ended by the service, whatever it is. */
  private onRefused(reason: string, remedy: string): void {
    this.state = null;
    this.drop();
    this.view.onRefused(reason, remedy);
  }

  private onSilence(): void {
    if (!this.flowing()) this.view.onWaiting("The service does not answer. It is asked again and again.");
  }

  private flowing(): boolean {
    return this.method !== null && Date.now() - this.movedAt < stillAfter;
  }

  /** Runs every half second: starts, watches, restarts. */
  private check(): void {
    const now = Date.now();
    if (this.moves()) this.movedAt = now;
    this.countFrames(now);
    if (this.method === null) {
      this.tryStart(now);
      return;
    }
    const plays = this.flowing() && this.hasPicture();
    if (this.key && (plays || this.stalls())) this.reporter.look(now, this.key, plays, this.details().delay);
    if (plays) {
      this.backOff.reset();
      this.failures = 0;
      this.view.onPlaying();
      if (!this.method.began) this.link.suspend(); // else the link is what tells whether pictures come
    } else if (!this.video.paused && now - this.movedAt > stillAfter) {
      this.listen();
      this.explain();
      // A camera that is away is waited for with what is open; a method is given up only
      // when it brings nothing of a camera that is there.
      const away = this.method.frames !== undefined && this.state?.state !== "live";
      if (now - this.movedAt > this.method.patience() && this.state?.ready && !away) this.fail("no picture for a while");
    }
  }

  /** Frames ought to come, and do not: the camera sends, the page is seen, nobody has paused. */
  private stalls(): boolean {
    return this.link.active && this.state?.state === "live" && !document.hidden && !this.video.paused;
  }

  private moves(): boolean {
    if (this.method?.began) return this.method.began() && this.state?.state === "live";
    const position = this.method?.frames?.() ?? this.video.currentTime;
    const moved = position !== this.position;
    this.position = position;
    return moved;
  }

  private hasPicture(): boolean {
    return this.method?.began !== undefined || this.video.readyState >= HTMLMediaElement.HAVE_CURRENT_DATA;
  }

  /** Asks for the state again; what was known before is old. */
  private listen(): void {
    if (this.link.active) return;
    this.state = null;
    this.link.resume();
  }

  private explain(): void {
    if (this.state === null || this.state.state === "live") this.view.onWaiting("No pictures are coming at the moment …");
    else this.told(this.state);
  }

  private told(state: FeedState): void {
    this.view.onWaiting(state.reason, state.remedy, state.state === "refused" || state.state === "off");
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
      this.told(this.state);
      return;
    }
    const key = this.choose(this.state);
    if (key === null) {
      this.view.onWaiting("This browser cannot play what this feed gives.", `Update it, or use another one: ${this.why}.`, true);
      return;
    }
    this.starting = true;
    this.key = key;
    if (key !== "pictures") this.link.suspend(); // its connection is needed now
    this.tellMethod(this.state);
    void this.start(key, this.state.run);
  }

  /** Chooses the first method that the engine has and that has not failed a moment ago. */
  private choose({ play, deliveries, coding }: FeedState): MethodKey | null {
    const { only } = this.want;
    const order = only ? [only === "hls-plain" ? "hls" : only] : methodsOf(play.order);
    const why = only ? "it alone was asked for" : play.why;
    const absent = (key: MethodKey) => missing(key, this.video, deliveries);
    const possible = order.filter((key) => absent(key) === null);
    if (possible.every((key) => this.unfit.has(key))) this.unfit.clear();
    const key = possible.find((k) => !this.unfit.has(k)) ?? null;
    const before = key ? order.slice(0, order.indexOf(key)) : order;
    const reasons = before.map((k) => absent(k) ?? this.unfit.get(k) ?? "");
    this.why = reasons.length > 0 ? reasons.join(", ") : why;
    this.own = key !== null && decodesOwn(coding, key, this.video);
    const note = key === null || this.rendition !== null ? "" : codingNote(coding, key, this.own);
    if (note) this.why += `; ${note}`;
    return key;
  }

  /** The viewer wants to hear: what was opened without audio is opened anew. */
  private readonly onVolume = () => {
    if (this.video.muted || !this.audioThere || this.method?.audio !== false) return;
    this.drop();
    this.link.resume();
    this.notBefore = 0;
  };

  private tellMethod(state: FeedState): void {
    const { key } = this;
    const { audio, iceServers, play } = state;
    this.audioThere = key === "webrtc" || key === "fragments" ? audio[key] : false;
    this.iceServers = iceServers ?? [];
    this.play = play;
    if (key === null) return;
    this.choices = choicesOf(key, state);
    this.view.onChoices(this.choices, this.rendition);
    if (key === "pictures") this.view.onMethod(key, false, "Motion JPEG has no sound");
    else this.view.onMethod(key, audio[key], "This feed has no sound");
  }

  /** Plays another rendition; null is what suits the feed, or the line. */
  select(rendition: string | null): void {
    if (rendition === this.rendition) return;
    const seamless = this.rendition === null || this.switched;
    this.rendition = rendition;
    this.view.onChoices(this.choices, rendition);
    if (seamless && this.method?.select?.(rendition)) {
      this.switched = true;
      return;
    }
    this.switched = false;
    this.drop();
    this.listen();
    this.notBefore = 0;
  }

  private async start(key: MethodKey, run: string): Promise<void> {
    try {
      const method = await startMethod(key, this.stage, this.addresses(), !this.video.muted && this.audioThere, { onFailed: (why) => this.fail(why) });
      if (this.closed) {
        method.close();
        return;
      }
      this.method = method;
      this.run = run;
      this.movedAt = Date.now();
      if (!method.began) await this.begin();
    } catch (e) {
      this.fail(e instanceof Error ? e.message : String(e));
    } finally {
      this.starting = false;
    }
  }

  /** Plays; without audio where the browser does not let it start with it. */
  private async begin(): Promise<void> {
    try {
      await this.video.play();
    } catch (e) {
      if (this.video.muted || !(e instanceof DOMException) || e.name !== "NotAllowedError") return; // the viewer starts it by hand
      this.video.muted = true;
      this.view.onAudioRefused();
      await this.video.play().catch(() => undefined);
    }
  }

  private addresses(): Addresses {
    const { rendition } = this;
    const list = rendition && !isSize(rendition) ? `${encodeURIComponent(rendition)}.m3u8` : "index.m3u8";
    const query = (key: MethodKey) => queryOf(key, rendition);
    const at = (path: string) => new URL(`${this.base}/${path}`, location.href).href;
    const { ahead } = this.play;
    return { service: this.service, hls: at(`hls/${list}`), whep: at(`whep${query("webrtc")}`), fragments: withOwn(at(`live.mp4${query("fragments")}`), this.own ? this.state?.coding : undefined), pictures: at(`mjpeg${query("pictures")}`), iceServers: this.iceServers, ahead, plain: this.want.only === "hls-plain" };
  }

  /** A method that has failed is left alone for a while; then it is tried again. */
  private fail(why: string): void {
    this.lastFailure = why;
    this.failures++;
    if (this.key && this.state?.state === "live" && !this.leaving) this.reporter.failed(this.key, why);
    if (this.key && this.failures >= patienceWith[this.key]) {
      this.unfit.set(this.key, why);
      this.failures = 0;
      this.comeBackLater();
    }
    this.drop();
    this.listen();
    this.notBefore = Date.now() + this.backOff.pause();
    if (this.state?.ready) this.view.onWaiting(`Trying again (${why}) …`);
    else this.explain();
  }

  private comeBackLater(): void {
    clearTimeout(this.again);
    this.again = setTimeout(() => void this.comeBack(), betterAgain);
  }

  /** Goes back to a better method when that works again; WebRTC is tried unseen before. */
  private async comeBack(): Promise<void> {
    if (this.closed || this.unfit.size === 0) return;
    if (this.method !== null && this.unfit.has("webrtc") && !(await bringsPictures(this.addresses().whep, this.iceServers))) {
      this.comeBackLater();
      return;
    }
    const before = this.key;
    this.unfit.clear();
    if (this.state === null) this.comeBackLater();
    else if (!this.closed && this.choose(this.state) !== before) {
      this.drop(); // the next check begins with the better one
      this.listen();
    }
  }

  private drop(): void {
    this.reporter.over();
    if (this.method) keepLastFrame(this.stage);
    this.method?.close();
    this.method = null;
    this.position = -1;
    this.frames = null;
    this.frameRate = null;
  }
}
