// WebRTC towards the service, opened by WHIP (RFC 9725): one offer, one answer.
import { codecsOf, type Coding } from "./settings";

/** What the service says of what arrives. */
export interface Arriving {
  width: number;
  height: number;
  frameRate: number;
  bitRate: number;
  lost: number;
}

/** What an engineer asks of the camera. */
export interface Wish {
  torch?: boolean;
  zoom?: number;
  focus?: string;
  camera?: number;
}

interface FromService {
  wish?: Wish;
  arriving?: Arriving;
  ended?: string;
}

/** The refusal of an offer. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    sentence: string,
    readonly remedy: string,
  ) {
    super(sentence);
  }
}

/** No packets come through, although the service has answered. */
export class Unreached extends Error {}

export interface Events {
  onArriving: (a: Arriving) => void;
  onWish: (w: Wish) => void;
  onControl: () => void; // what is told of the camera can be told now
  onLost: (why: string) => void; // once
}

const answerWithin = 12_000;
const gatherWithin = 1000;
const connectWithin = 12_000;
const silentFor = 4000; // a connection that was interrupted may come back by itself

/** What this browser says it encodes. */
export function senderCodecs(): RTCRtpCodec[] {
  return RTCRtpSender.getCapabilities("video")?.codecs ?? [];
}

/** One session: it sends a stream until it is closed or lost. */
export class Session {
  private readonly pc = new RTCPeerConnection();
  private readonly abort = new AbortController();
  private readonly channel: RTCDataChannel;
  private address: string | null = null;
  private over = false;
  private begun: (() => void) | undefined; // while it is awaited
  private patience: ReturnType<typeof setTimeout> | undefined;
  readonly video: RTCRtpSender;
  readonly audio: RTCRtpSender;

  constructor(
    private readonly url: string,
    private readonly pass: string,
    stream: MediaStream,
    coding: Coding,
    private readonly events: Events,
  ) {
    const [picture] = stream.getVideoTracks();
    const [sound] = stream.getAudioTracks();
    const video = this.pc.addTransceiver(picture ?? "video", { direction: "sendonly", streams: [stream] });
    video.setCodecPreferences?.(codecsOf(senderCodecs(), coding));
    this.video = video.sender;
    this.audio = this.pc.addTransceiver(sound ?? "audio", { direction: "sendonly", streams: [stream] }).sender;
    this.channel = this.pc.createDataChannel("camera");
    this.channel.onopen = () => this.events.onControl();
    this.channel.onmessage = (e) => this.hear(JSON.parse(String(e.data)) as FromService);
    this.pc.onconnectionstatechange = () => this.watch();
  }

  private watch(): void {
    clearTimeout(this.patience);
    const { connectionState } = this.pc;
    if (connectionState === "connected") this.begun?.();
    if (connectionState === "failed" || connectionState === "closed") this.lose("The connection is lost.");
    if (connectionState === "disconnected") this.patience = setTimeout(() => this.lose("The connection is lost."), silentFor);
  }

  private hear(m: FromService): void {
    if (m.arriving) this.events.onArriving(m.arriving);
    if (m.wish) this.events.onWish(m.wish);
    if (m.ended !== undefined) this.lose(m.ended);
  }

  private lose(why: string): void {
    if (this.over) return;
    const opening = this.begun;
    this.close();
    if (!opening) this.events.onLost(why);
  }

  /** Offers, takes the answer and connects. It throws Refused, Unreached, or what fetch throws. */
  async open(): Promise<void> {
    const timer = setTimeout(() => this.abort.abort(), answerWithin);
    try {
      await this.pc.setLocalDescription(await this.pc.createOffer());
      await this.gathered();
      const answer = await fetch(this.url, {
        method: "POST",
        headers: { "Content-Type": "application/sdp", ...(this.pass === "" ? {} : { Authorization: `Bearer ${this.pass}` }) },
        body: this.pc.localDescription?.sdp,
        signal: this.abort.signal,
      });
      if (!answer.ok) throw await refusal(answer);
      this.address = new URL(answer.headers.get("Location") ?? "", answer.url).href;
      await this.pc.setRemoteDescription({ type: "answer", sdp: await answer.text() });
    } catch (e) {
      this.close();
      throw e;
    } finally {
      clearTimeout(timer);
    }
    if (this.over) this.leave();
    else await this.connected();
  }

  /** Waits until packets come through. */
  private connected(): Promise<void> {
    return new Promise((resolve, reject) => {
      const timer = setTimeout(() => this.close(), connectWithin);
      this.begun = () => {
        clearTimeout(timer);
        this.begun = undefined;
        if (this.over) reject(new Unreached());
        else resolve();
      };
      this.watch();
    });
  }

  /** Waits until the browser has found its addresses, and no longer than a second. */
  private gathered(): Promise<void> {
    if (this.pc.iceGatheringState === "complete") return Promise.resolve();
    return new Promise((resolve) => {
      const timer = setTimeout(resolve, gatherWithin);
      this.pc.onicegatheringstatechange = () => {
        if (this.pc.iceGatheringState !== "complete") return;
        clearTimeout(timer);
        resolve();
      };
    });
  }

  /** Whether the browser has encoded any picture. */
  async encodes(): Promise<boolean> {
    const stats = await this.video.getStats();
    return [...stats.values()].some((s: { type: string; framesEncoded?: number }) => s.type === "outbound-rtp" && (s.framesEncoded ?? 0) > 0);
  }

  /** Bounds the bits a second of the picture. */
  async limit(bits: number, frameRate: number): Promise<void> {
    const parameters = this.video.getParameters();
    for (const encoding of parameters.encodings) Object.assign(encoding, { maxBitrate: bits, maxFramerate: frameRate });
    if (parameters.encodings.length > 0) await this.video.setParameters(parameters);
  }

  /** Tells the service what the camera can do, where it listens. */
  tell(camera: unknown): void {
    if (this.channel.readyState === "open") this.channel.send(JSON.stringify(camera));
  }

  private leave(): void {
    if (this.address !== null) void fetch(this.address, { method: "DELETE", keepalive: true }).catch(() => undefined);
    this.address = null;
  }

  /** Ends the session; onLost is not called. */
  close(): void {
    this.over = true;
    this.begun?.();
    clearTimeout(this.patience);
    this.abort.abort();
    this.leave();
    this.pc.close();
  }
}

async function refusal(answer: Response): Promise<Refused> {
  try {
    const problem = (await answer.json()) as { detail?: string; remedy?: string };
    return new Refused(answer.status, problem.detail ?? `The service answers ${answer.status}.`, problem.remedy ?? "");
  } catch {
    return new Refused(answer.status, `The service answers ${answer.status}.`, "");
  }
}
