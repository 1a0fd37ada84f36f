// What was recorded of a feed, from a moment on: a playlist of half an hour around it, and the
// next one when that ends.
import { hasMediaSource } from "./source";
import type { Stage } from "./method";
import { playsByItself } from "./methods";
import type { Details } from "./session";
import { dateAt, placeOf, readList, type Piece } from "./pastlist";

/** What is shown of the past: the moment, and from when to when there is something. */
export interface Moment {
  date: number;
  begins: number;
  ends: number;
}

export interface PastView {
  onPlaying(): void;
  onWaiting(reason: string): void;
  onRefused(reason: string, remedy: string): void;
  onMoment(moment: Moment): void;
  /** There is nothing later: it goes on live. */
  onEnd(): void;
}

/** Plays a playlist from a place on. */
interface Playing {
  close(): void;
}

const around = 15 * 60_000;
const tick = 250;

export class Past {
  readonly methodKey = null;
  private pieces: Piece[] = [];
  private playing: Playing | null = null;
  private closed = false;
  private turn = 0; // of loading, so that an answer that comes late is left alone
  private readonly timer: ReturnType<typeof setInterval>;
  private readonly onEnded = () => void this.load(this.end + 1, true);
  private readonly onBegun = () => this.view.onPlaying();

  constructor(
    private readonly stage: Stage,
    private readonly service: string,
    private readonly base: string,
    date: number,
    private readonly view: PastView,
  ) {
    this.timer = setInterval(() => this.tell(), tick);
    stage.video.addEventListener("ended", this.onEnded);
    stage.video.addEventListener("playing", this.onBegun);
    void this.load(date, false);
  }

  close(): void {
    this.closed = true;
    clearInterval(this.timer);
    this.stage.video.removeEventListener("ended", this.onEnded);
    this.stage.video.removeEventListener("playing", this.onBegun);
    this.playing?.close();
  }

  /** Goes to a moment. */
  seek(date: number): void {
    const first = this.pieces[0];
    const place = placeOf(this.pieces, date);
    if (!first || place === null || date < first.date) void this.load(date, false);
    else this.stage.video.currentTime = place;
  }

  /** The moment that is on show. */
  get date(): number | null {
    return dateAt(this.pieces, this.stage.video.currentTime);
  }

  get still(): string {
    return `${this.base}/past/still.jpg?at=${new Date(this.date ?? Date.now()).toISOString()}`;
  }

  details(): Details {
    const { video } = this.stage;
    const { date } = this;
    return { method: "recording", why: "", size: `${video.videoWidth}x${video.videoHeight}`, frameRate: null, delay: date === null ? null : Date.now() - date, within: 0, rendition: null };
  }

  toLive(): void {
    this.view.onEnd();
  }

  select(): void {
    // There is one rendition of what was recorded.
  }

  private get end(): number {
    const last = this.pieces.at(-1);
    return last ? last.date + last.length * 1000 : Date.now();
  }

  private tell(): void {
    const { date } = this;
    const first = this.pieces[0];
    if (date !== null && first) this.view.onMoment({ date, begins: first.date, ends: this.end });
  }

  /** Loads what is around a moment; onward says that there need not be anything later. */
  private async load(date: number, onward: boolean): Promise<void> {
    const turn = ++this.turn;
    const from = new Date(onward ? date : date - around).toISOString();
    const address = `${this.base}/past/list.m3u8?from=${from}&to=${new Date(date + around).toISOString()}`;
    try {
      this.view.onWaiting("Looking for the recording …");
      const answer = await fetch(address);
      if (this.closed || turn !== this.turn) return;
      if (!answer.ok) {
        await this.refuse(answer, onward);
        return;
      }
      this.pieces = readList(await answer.text());
      const place = placeOf(this.pieces, date);
      if (place === null) {
        this.view.onEnd();
        return;
      }
      await this.play(new URL(address, location.href).href, place);
    } catch {
      if (!this.closed && turn === this.turn) this.view.onRefused("The service does not answer.", "Go to the live picture, or try again.");
    }
  }

  private async refuse(answer: Response, onward: boolean): Promise<void> {
    const problem = (await answer.json().catch(() => ({}))) as { code?: string; detail?: string; remedy?: string };
    if (onward && problem.code === "recording-none") this.view.onEnd();
    else this.view.onRefused(problem.detail ?? "There is no recording of that time.", problem.remedy ?? "");
  }

  private async play(url: string, place: number): Promise<void> {
    const { video } = this.stage;
    this.playing?.close();
    this.playing = null;
    const failed = (why: string) => this.view.onRefused(`The recording cannot be played (${why}).`, "");
    if (hasMediaSource() && !playsByItself(video)) {
      const { playList } = (await import(/* @vite-ignore */ this.service + __HLS_PATH__)) as typeof import("./hls");
      if (this.closed) return;
      this.playing = playList(video, url, place, failed);
    } else {
      this.playing = playNative(video, url, place, failed);
    }
    await video.play().catch(() => undefined);
  }
}

function playNative(video: HTMLVideoElement, url: string, place: number, failed: (why: string) => void): Playing {
  const onMeta = () => {
    video.currentTime = place;
  };
  const onError = () => failed(video.error?.message ?? "the browser gave up");
  video.addEventListener("loadedmetadata", onMeta, { once: true });
  video.addEventListener("error", onError);
  video.src = url;
  return {
    close() {
      video.removeEventListener("loadedmetadata", onMeta);
      video.removeEventListener("error", onError);
      video.removeAttribute("src");
      video.load();
    },
  };
}
