// Live fragments: one answer that never ends, given to Media Source Extensions as it
// comes. A frame behind, over nothing but the HTTP port.
import { reason } from "./answer";
import { BoxReader, type Reference } from "./boxes";
import { PlaceKeeper } from "./keeper";
import type { Method, MethodEvents } from "./method";
import { mediaSource } from "./source";

const ticks = 90_000; // of the video's clock a second
const keptBehind = 10; // seconds
const tidyAt = 20;
const answerWithin = 12_000;

/** Without audio, which is decoded in larger units, less will do. */
const leastSilent = 0.1;

export class FragmentsMethod implements Method {
  readonly name = "Live fragments";
  private readonly abort = new AbortController();
  private readonly place: PlaceKeeper;
  private buffer: SourceBuffer | null = null;
  private queue: Uint8Array<ArrayBuffer>[] = [];
  private reference: Reference | null = null;
  private url: string | null = null;
  private joined = false;
  private closed = false;

  constructor(
    private readonly video: HTMLVideoElement,
    private readonly address: string,
    private readonly events: MethodEvents,
    readonly audio: boolean,
    ahead: number,
  ) {
    this.place = new PlaceKeeper(video, audio ? ahead : Math.min(ahead, leastSilent));
  }

  /** Opens the answer. It throws when there is none. */
  async open(): Promise<void> {
    const timer = setTimeout(() => this.abort.abort(), answerWithin);
    try {
      const answer = await fetch(this.address, { cache: "no-store", signal: this.abort.signal });
      if (!answer.ok || !answer.body) throw new Error(await reason(answer, "the request for live fragments"));
      await this.attach(answer.headers.get("Content-Type") ?? "");
      void this.read(answer.body.getReader());
    } catch (e) {
      this.close();
      throw e;
    } finally {
      clearTimeout(timer);
    }
  }

  private async attach(kind: string): Promise<void> {
    const Source = mediaSource();
    if (!Source?.isTypeSupported(kind)) throw new Error(`this browser does not decode ${kind}`);
    const source = new Source();
    this.video.disableRemotePlayback = true; // else a managed source does not open
    const opened = new Promise((resolve) => source.addEventListener("sourceopen", resolve, { once: true }));
    this.url = URL.createObjectURL(source);
    this.video.src = this.url;
    await opened;
    source.duration = Infinity;
    this.buffer = source.addSourceBuffer(kind);
    this.buffer.mode = "segments";
    this.buffer.addEventListener("updateend", () => this.feed());
    this.buffer.addEventListener("error", () => this.fail("the browser could not decode a fragment"));
  }

  private async read(reader: ReadableStreamDefaultReader<Uint8Array<ArrayBuffer>>): Promise<void> {
    const boxes = new BoxReader((r) => {
      this.reference = r;
    });
    try {
      for (;;) {
        const { value, done } = await reader.read();
        if (done) break;
        boxes.push(value);
        this.queue.push(value);
        this.feed();
      }
      this.fail("the service has ended the answer");
    } catch (e) {
      this.fail(e instanceof Error ? e.message : String(e));
    }
  }

  /** Gives the buffer all that has come, and takes away what is long past. */
  private feed(): void {
    const { buffer, video } = this;
    if (!buffer || buffer.updating || this.closed) return;
    this.join();
    try {
      const { buffered } = buffer;
      if (buffered.length > 0 && video.currentTime - buffered.start(0) > tidyAt) {
        buffer.remove(0, video.currentTime - keptBehind);
        return;
      }
      if (this.queue.length === 0) return;
      buffer.appendBuffer(join(this.queue));
      this.queue = [];
    } catch (e) {
      this.fail(e instanceof Error ? e.message : String(e));
    }
  }

  /** Goes to where the stream begins, once it can be gone to. */
  private join(): void {
    const { video } = this;
    const last = video.buffered.length - 1;
    if (this.joined || last < 0 || video.readyState < HTMLMediaElement.HAVE_METADATA) return;
    this.joined = true;
    video.currentTime = Math.max(video.buffered.start(last), video.buffered.end(last) - this.place.keeper.target);
  }

  private fail(why: string): void {
    if (!this.closed) this.events.onFailed(why);
  }

  capturedAt(): number | null {
    const { reference: r } = this;
    return r && r.capturedAt + (this.video.currentTime - r.media / ticks) * 1000;
  }

  patience(): number {
    return 8000;
  }

  toLive(): void {
    const { buffered } = this.video;
    const last = buffered.length - 1;
    if (last >= 0) this.video.currentTime = Math.max(buffered.start(last), buffered.end(last) - this.place.keeper.target);
  }

  close(): void {
    if (this.closed) return;
    this.closed = true;
    this.abort.abort();
    this.place.close();
    if (this.url) {
      URL.revokeObjectURL(this.url);
      this.video.removeAttribute("src");
      this.video.load();
    }
  }
}

function join(pieces: Uint8Array<ArrayBuffer>[]): Uint8Array<ArrayBuffer> {
  const [first] = pieces;
  if (pieces.length === 1 && first) return first;
  const all = new Uint8Array(pieces.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of pieces) {
    all.set(p, at);
    at += p.length;
  }
  return all;
}
