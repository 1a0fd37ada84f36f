// Tells the service how it plays, where the feed wants to know: engine and delivery,
// failures, stalls and delay, and nothing about whoever watches.
import { deliveryOf, type MethodKey } from "./order";

/** As the service takes it; what is counted is since the report before. */
export interface PlayReport {
  delivery: string;
  began: boolean;
  failed: string;
  seconds: number;
  stalls: number;
  stalledSeconds: number;
  delaySeconds?: number;
  h265?: boolean;
}

const every = 30_000;
/** What is shorter is not worth telling, seconds. */
const shortest = 2;
/** Between looks: what is longer was not played, as with a camera that was away, seconds. */
const longestLook = 3;

/** Counts how one feed is played, and sends it now and then. */
export class Reporter {
  private key: MethodKey | null = null;
  private seconds = 0;
  private stalls = 0;
  private stalledSeconds = 0;
  private delays: number[] = [];
  private standing = false;
  private lookedAt = 0;
  private sentAt = 0;

  constructor(
    private readonly send: (report: PlayReport) => void,
    private readonly decodesH265: () => boolean | undefined,
  ) {}

  /** A look at what plays, at a time in milliseconds; delay in milliseconds, or null. */
  look(now: number, key: MethodKey, flows: boolean, delay: number | null): void {
    if (key !== this.key) this.over();
    if (this.key === null) {
      if (!flows) return; // it has to begin first
      this.key = key;
      this.lookedAt = this.sentAt = now;
      this.tell({ began: true });
      return;
    }
    const passed = Math.min((now - this.lookedAt) / 1000, longestLook);
    this.lookedAt = now;
    this.seconds += passed;
    if (!flows) {
      if (!this.standing) this.stalls++;
      this.stalledSeconds += passed;
    } else if (delay !== null) this.delays.push(delay);
    this.standing = !flows;
    if (now - this.sentAt >= every) {
      this.sentAt = now;
      this.tell({});
    }
  }

  /** A method was given up; it counts against it when no picture had come. */
  failed(key: MethodKey, why: string): void {
    const played = this.key === key;
    this.over();
    if (!played) this.send({ delivery: deliveryOf[key], began: false, failed: why, seconds: 0, stalls: 0, stalledSeconds: 0 });
  }

  /** Nothing is played any more. */
  over(): void {
    if (this.key !== null && this.seconds >= shortest) this.tell({});
    this.key = null;
    this.clear();
    this.standing = false;
  }

  private tell({ began = false }: { began?: boolean }): void {
    if (this.key === null) return;
    const h265 = began ? this.decodesH265() : undefined;
    const delay = this.delays.length > 0 ? this.delays.reduce((a, b) => a + b, 0) / this.delays.length / 1000 : undefined;
    this.send({
      delivery: deliveryOf[this.key],
      began,
      failed: "",
      seconds: this.seconds,
      stalls: this.stalls,
      stalledSeconds: this.stalledSeconds,
      ...(delay === undefined ? {} : { delaySeconds: delay }),
      ...(h265 === undefined ? {} : { h265 }),
    });
    this.clear();
  }

  private clear(): void {
    this.seconds = 0;
    this.stalls = 0;
    this.stalledSeconds = 0;
    this.delays = [];
  }
}

/** Sends a report so that it gets out even while the page goes, and asks no permission. */
export function sendReport(base: string, report: PlayReport): void {
  void fetch(`${base}/report`, { method: "POST", body: JSON.stringify(report), keepalive: true, credentials: "same-origin" }).catch(() => undefined);
}

let h265: boolean | undefined;
let asked = false;

/** Whether the engine decodes 1080p H.265 smoothly; undefined as long as it is not known. */
export function decodesH265(): boolean | undefined {
  if (!asked && "mediaCapabilities" in navigator) {
    asked = true;
    navigator.mediaCapabilities
      .decodingInfo({ type: "media-source", video: { contentType: 'video/mp4; codecs="hvc1.1.6.L120.90"', width: 1920, height: 1080, bitrate: 4_000_000, framerate: 25 } })
      .then((info) => {
        h265 = info.supported && info.smooth;
      })
      .catch(() => undefined);
  }
  return h265;
}
