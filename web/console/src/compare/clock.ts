// The QR clock in a picture: of a simulated camera at the lower right, of a real one
// wherever somebody holds the clock page in front of it.
import type jsQR from "jsqr";

interface Box {
  x: number;
  y: number;
  w: number;
  h: number;
}

type Picture = HTMLVideoElement | HTMLImageElement;
type Code = NonNullable<ReturnType<typeof jsQR>>;

const corner = 0.3; // of the height
const wideEnough = 216; // pixels of a code and its margin
const wholeWidth = 640; // that the whole picture is looked at with
const everyWhole = 4; // looks: the whole picture takes long
const margin = 0.4; // of the code's side, on each side, since hands are not still
const plausible = 1e12;

/** Finds the clock in one picture after the other, and remembers where it was. */
export class ClockReader {
  private place: Box | null = null; // shares of width and height
  private misses = 0; // in a row

  constructor(
    private readonly read: typeof jsQR,
    private readonly pen: CanvasRenderingContext2D,
  ) {}

  /** Reads the capture time that stands in the pixels, milliseconds since 1970, or null. */
  capturedAt(picture: Picture): number | null {
    const [w, h] = picture instanceof HTMLVideoElement ? [picture.videoWidth, picture.videoHeight] : [picture.naturalWidth, picture.naturalHeight];
    if (!w || !h) return null;
    const share = (corner * h) / w;
    const near = this.place ?? { x: 1 - share, y: 1 - corner, w: share, h: corner };
    let at = this.lookAt(picture, near, wideEnough, w, h);
    if (at === null && this.misses++ % everyWhole === 0) at = this.lookAt(picture, { x: 0, y: 0, w: 1, h: 1 }, wholeWidth, w, h);
    if (at !== null) this.misses = 0;
    else if (this.misses > everyWhole) this.place = null;
    return at;
  }

  private lookAt(picture: Picture, box: Box, most: number, w: number, h: number): number | null {
    const { pen } = this;
    const scale = Math.min(1, most / (box.w * w));
    const [width, height] = [Math.round(box.w * w * scale), Math.round(box.h * h * scale)];
    if (width < 1 || height < 1) return null;
    pen.canvas.width = width;
    pen.canvas.height = height;
    pen.drawImage(picture, box.x * w, box.y * h, box.w * w, box.h * h, 0, 0, width, height);
    const code = this.read(pen.getImageData(0, 0, width, height).data, width, height);
    const at = code ? Number(code.data) : NaN;
    if (!code || !(at > plausible)) return null;
    this.place = around(code, box, width, height);
    return at;
  }
}

/** The box around a code that was found in a box of so many pixels, with a margin. */
function around({ location: l }: Code, box: Box, width: number, height: number): Box {
  const corners = [l.topLeftCorner, l.topRightCorner, l.bottomLeftCorner, l.bottomRightCorner];
  const [xs, ys] = [corners.map((p) => p.x), corners.map((p) => p.y)];
  const room = margin * Math.max(Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys));
  const share = (n: number, of: number) => Math.min(1, Math.max(0, n / of));
  const [left, right] = [share(Math.min(...xs) - room, width), share(Math.max(...xs) + room, width)];
  const [top, bottom] = [share(Math.min(...ys) - room, height), share(Math.max(...ys) + room, height)];
  return { x: box.x + left * box.w, y: box.y + top * box.h, w: (right - left) * box.w, h: (bottom - top) * box.h };
}
