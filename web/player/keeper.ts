// Keeps as much in store as is wanted, and so the place behind live: a little faster when
// there is more, a little slower when there is less, and a jump when it is far too much.

export interface Step {
  rate: number;
  /** How far to jump ahead, seconds; null for no jump. */
  jump: number | null;
}

/** How often to look, milliseconds. */
export const lookEvery = 50;

const looks = 10;
const gain = 0.5;
const mostOff = 0.1; // of the rate; pitch is kept, and it is not noticed
const deaf = 0.02; // of the rate: changes that are not worth making
const far = 1; // seconds
const raise = 0.05; // seconds, at each underrun
const mostRaised = 0.8;
const calm = 30_000 / lookEvery; // looks without an underrun, after which less is tried again

/**
 * Keeper decides at each look what to do. What is in store goes up in steps, as parts
 * come, so it goes by the least of the last looks.
 */
export class Keeper {
  private recent: number[] = [];
  private raised = 0;
  private quiet = 0;

  /** wanted is what is to be in store, seconds. */
  constructor(public wanted: number) {}

  get target(): number {
    return this.wanted + this.raised;
  }

  step(ahead: number): Step {
    this.recent.push(ahead);
    if (this.recent.length > looks) this.recent.shift();
    if (++this.quiet > calm && this.raised > 0) {
      this.raised = Math.max(0, this.raised - raise);
      this.quiet = 0;
    }
    const over = Math.min(...this.recent) - this.target;
    if (over > far && this.recent.length === looks) {
      this.recent = [];
      return { rate: 1, jump: over };
    }
    const off = Math.max(-mostOff, Math.min(mostOff, gain * over));
    return { rate: Math.abs(off) < deaf ? 1 : 1 + off, jump: null };
  }

  /** The store has run out: more is kept from now on. */
  underrun(): void {
    this.raised = Math.min(mostRaised, this.raised + raise);
    this.quiet = 0;
    this.recent = [];
  }
}

/** How much a video has in store behind its place, seconds; 0 where it is in no range. */
export function aheadOf(video: HTMLVideoElement): number {
  const { buffered, currentTime } = video;
  for (let i = 0; i < buffered.length; i++) {
    if (currentTime >= buffered.start(i) - 0.1 && currentTime <= buffered.end(i)) return buffered.end(i) - currentTime;
  }
  return 0;
}

/** Apple's engine gets unsteady with less in store, and with a rate that changes (WebKitGTK 2.50). */
const leastInWebKit = 0.8;
/** With parts of HLS it needs more still. */
export const leastInWebKitHLS = 1.8;

/** Keeps a video at its place until it is closed. */
export class PlaceKeeper {
  readonly keeper: Keeper;
  private readonly webkit = navigator.vendor.startsWith("Apple");
  private readonly timer: ReturnType<typeof setInterval>;
  private began = false;
  private readonly onWaiting = () => {
    if (this.began && !this.video.seeking && !this.video.paused) this.keeper.underrun();
  };

  constructor(
    private readonly video: HTMLVideoElement,
    wanted: number,
    least = leastInWebKit,
  ) {
    this.keeper = new Keeper(this.webkit ? Math.max(wanted, least) : wanted);
    this.timer = setInterval(() => this.look(), lookEvery);
    video.addEventListener("waiting", this.onWaiting);
  }

  private look(): void {
    const { video } = this;
    if (video.paused || video.seeking || video.readyState < HTMLMediaElement.HAVE_CURRENT_DATA) return;
    this.skipGap();
    this.began ||= video.readyState >= HTMLMediaElement.HAVE_FUTURE_DATA;
    const { rate, jump } = this.keeper.step(aheadOf(video));
    if (!this.webkit && video.playbackRate !== rate) video.playbackRate = rate;
    if (jump !== null) video.currentTime += jump;
  }

  /** Goes over a hole: what comes behind it is what is live. */
  private skipGap(): void {
    const { video } = this;
    const last = video.buffered.length - 1;
    if (last < 1 || aheadOf(video) > 0.05) return;
    const start = video.buffered.start(last);
    if (start > video.currentTime) video.currentTime = start + 0.001;
  }

  close(): void {
    clearInterval(this.timer);
    this.video.removeEventListener("waiting", this.onWaiting);
    this.video.playbackRate = 1;
  }
}
