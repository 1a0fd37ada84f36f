// Keeps pictures beside their audio in WebRTC. Browsers do so by themselves, but may
// take half a minute; they say in their statistics how far apart the two are, and can be
// told how long pictures are to wait.

interface Received extends RTCInboundRtpStreamStats {
  estimatedPlayoutTimestamp?: number;
  jitterBufferTargetDelay?: number;
  jitterBufferEmittedCount?: number;
}

type Receiver = RTCRtpReceiver & { jitterBufferTarget?: number | null };

const every = 1000;
const near = 15; // milliseconds that are left alone
const longest = 500;

export class LipSync {
  private readonly timer: ReturnType<typeof setInterval>;
  private before: { delay: number; count: number } | null = null;

  constructor(
    private readonly pc: RTCPeerConnection,
    private readonly pictures: Receiver,
  ) {
    this.timer = setInterval(() => void this.adjust(), every);
  }

  close(): void {
    clearInterval(this.timer);
  }

  private async adjust(): Promise<void> {
    if (!("jitterBufferTarget" in this.pictures)) return;
    const all = [...(await this.pc.getStats()).values()].filter((s: RTCStats): s is Received => s.type === "inbound-rtp");
    const audio = all.find((s) => s.kind === "audio");
    const seen = all.find((s) => s.kind === "video");
    const waits = this.waits(seen);
    if (waits === null || !audio?.estimatedPlayoutTimestamp || !seen?.estimatedPlayoutTimestamp) return;
    const behind = seen.estimatedPlayoutTimestamp - audio.estimatedPlayoutTimestamp; // of the audio
    if (Math.abs(behind) > near) this.pictures.jitterBufferTarget = Math.min(longest, Math.max(0, waits + behind));
  }

  /** How long pictures were made to wait since the last time, milliseconds. */
  private waits(s: Received | undefined): number | null {
    if (s?.jitterBufferTargetDelay === undefined || s.jitterBufferEmittedCount === undefined) return null;
    const now = { delay: s.jitterBufferTargetDelay, count: s.jitterBufferEmittedCount };
    const { before } = this;
    this.before = now;
    return before && now.count > before.count ? ((now.delay - before.delay) * 1000) / (now.count - before.count) : null;
  }
}
