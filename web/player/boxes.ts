// Reads along in a stream of boxes (ISO/IEC 14496-12) for what it says of capture times.

const headSize = 8;
const referenceSize = 32; // of a ProducerReferenceTimeBox of version 1, with its head (8.16.5)
const ntpBegins = 2208988800; // 1970 in NTP seconds

export interface Reference {
  /** Media time, ticks of the track's clock. */
  media: number;
  /** When that was taken, milliseconds since 1970. */
  capturedAt: number;
}

/** BoxReader takes a stream in any pieces and tells each producer reference time in it. */
export class BoxReader {
  private readonly head = new Uint8Array(referenceSize);
  private filled = 0;
  private left = 0; // of a box that is passed over

  constructor(private readonly onReference: (r: Reference) => void) {}

  push(data: Uint8Array): void {
    let at = 0;
    while (at < data.length) {
      if (this.left > 0) {
        const n = Math.min(this.left, data.length - at);
        this.left -= n;
        at += n;
        continue;
      }
      this.head[this.filled++] = data[at++] ?? 0;
      if (this.filled >= headSize) this.look();
    }
  }

  private look(): void {
    const view = new DataView(this.head.buffer);
    const size = view.getUint32(0);
    const reference = this.head[4] === 0x70 && this.head[5] === 0x72 && this.head[6] === 0x66 && this.head[7] === 0x74; // prft
    if (reference && size === referenceSize) {
      if (this.filled < referenceSize) return;
      const seconds = view.getUint32(16) - ntpBegins;
      const fraction = view.getUint32(20) / 2 ** 32;
      this.onReference({ media: Number(view.getBigUint64(24)), capturedAt: (seconds + fraction) * 1000 });
      this.filled = 0;
      return;
    }
    this.left = Math.max(0, size - headSize);
    this.filled = 0;
  }
}
