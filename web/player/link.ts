// What the service says of a feed, as it changes.

import { BackOff } from "./backoff";

export interface FeedState {
  now: number;
  state: string;
  reason: string;
  remedy?: string;
  run: string;
  ready: boolean;
  title: string;
  /** How it is to be played, by what the page asks for. */
  play: { order: string[]; why: string; within: number; ahead: Record<string, number> };
  /** How the camera's video is coded: by its RTP name, and by RFC 6381 as far as files carry it. */
  coding?: { codec: string; parameter: string };
  /** What can be chosen. */
  renditions: Rendition[];
  /** Sizes that Motion JPEG can be had in. */
  sizes?: { size: string; width: number; height: number }[];
  /** That whoever asks may have: "hls", "webrtc", "motion-jpeg", "still". */
  deliveries: string[];
  /** How the picture is projected, where it is not flat. */
  lens?: { projection: string; fieldOfView?: number };
  /** Whether whoever asks may go back in time. */
  goBack?: boolean;
  /** Whether the service wants to be told how it plays. */
  reports?: boolean;
  /** Which deliveries have audio. */
  audio: { hls: boolean; fragments: boolean; webrtc: boolean };
  /** STUN and TURN servers for WebRTC. */
  iceServers?: RTCIceServer[];
}

export interface Rendition {
  name: string;
  /** A flat view that was cut out of a picture of another projection. */
  flat?: boolean;
  codec: string;
  width: number;
  height: number;
}

export interface LinkListener {
  onState(state: FeedState): void;
  /** The service does not answer; it is asked again. */
  onSilence(): void;
  /** The service lets nobody in here; it is asked again now and then. */
  onRefused(reason: string, remedy: string): void;
}

const firstPause = 1000;
const longestPause = 15_000;

/**
 * StateLink listens to a feed's state and comes back by itself. It also knows
 * by how much the viewer's clock differs from the service's.
 *
 * Browsers open six connections to one host and no more, over all tabs. So the
 * link is suspended while pictures flow and nobody asks for the state: a wall of
 * many players would otherwise take the connections from its own segments.
 */
export class StateLink {
  private source: EventSource | null = null;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private readonly backOff = new BackOff(firstPause, longestPause);
  private closed = false;
  private wanted = false;
  private offset: number | null = null;

  constructor(
    private readonly base: string,
    private readonly listener: LinkListener,
    private readonly query = "",
  ) {
    this.resume();
    void this.compareClocks();
  }

  close(): void {
    this.closed = true;
    this.suspend();
  }

  /** Whether the link is up, or on its way up again. */
  get active(): boolean {
    return this.wanted;
  }

  suspend(): void {
    this.wanted = false;
    clearTimeout(this.timer);
    this.source?.close();
  }

  resume(): void {
    if (this.wanted || this.closed) return;
    this.wanted = true;
    this.open();
  }

  /** The service's clock now, milliseconds since 1970. */
  now(): number {
    return Date.now() + (this.offset ?? 0);
  }

  private open(): void {
    this.source?.close();
    const source = new EventSource(`${this.base}/state${this.query}`);
    this.source = source;
    source.addEventListener("state", (e) => {
      this.backOff.reset();
      this.listener.onState(JSON.parse((e as MessageEvent<string>).data) as FeedState);
    });
    source.onerror = () => {
      source.close();
      if (!this.wanted) return;
      void this.explain();
      this.timer = setTimeout(() => this.open(), this.backOff.pause());
    };
  }

  /** An event source does not tell why it was refused; another request does. */
  private async explain(): Promise<void> {
    try {
      const answer = await fetch(`${this.base}/time`, { cache: "no-store" });
      if (!this.wanted || answer.ok) return;
      const { detail, remedy } = (await answer.json()) as { detail?: string; remedy?: string };
      if (detail && answer.status < 500) {
        this.listener.onRefused(detail, remedy ?? "");
        return;
      }
    } catch {
      // said below
    }
    if (this.wanted) this.listener.onSilence();
  }

  private async compareClocks(): Promise<void> {
    const found = await compareClocks(`${this.base}/time`);
    if (found) this.offset = found.offset;
  }
}

/**
 * Asks the service for the time a few times; the quickest answer tells. offset is by
 * how many milliseconds the service's clock is ahead, good to within.
 */
export async function compareClocks(url: string): Promise<{ offset: number; within: number } | null> {
  let found: { offset: number; within: number } | null = null;
  for (let i = 0; i < 4; i++) {
    try {
      const sent = Date.now();
      const answer = await fetch(url, { cache: "no-store" });
      const { now } = (await answer.json()) as { now: number };
      const took = Date.now() - sent;
      if (!found || took / 2 < found.within) found = { offset: now - (sent + took / 2), within: took / 2 };
    } catch {
      return found;
    }
  }
  return found;
}
