/** What the camera is asked for. */
export interface Settings {
  camera: string; // device; empty for whichever looks away from the user
  height: number; // lines; 0 leaves it to the browser
  frameRate: number;
  audio: boolean;
}

export const usual: Settings = { camera: "", height: 720, frameRate: 30, audio: true };

export const heights = [360, 540, 720, 1080] as const;
export const frameRates = [10, 15, 25, 30] as const;

/** The constraints of a camera's track. */
export function videoConstraints(s: Settings): MediaTrackConstraints {
  const wanted: MediaTrackConstraints = { frameRate: { ideal: s.frameRate } };
  if (s.height > 0) Object.assign(wanted, { height: { ideal: s.height }, width: { ideal: Math.round((s.height * 16) / 9) } });
  if (s.camera === "") wanted.facingMode = { ideal: "environment" };
  else wanted.deviceId = { exact: s.camera };
  return wanted;
}

/** The bits a second that a picture of so many lines is worth; the line decides below that. */
export function mostBits(height: number, frameRate: number): number {
  const perSecond = { 360: 900_000, 540: 1_600_000, 720: 2_800_000, 1080: 5_000_000 }[height] ?? 2_800_000;
  return Math.round((perSecond * Math.max(frameRate, 10)) / 30);
}

/** What a picture may be coded as, best first: H.264 goes on to every viewer as it is. */
const codings = ["H264", "VP8"] as const;
export type Coding = (typeof codings)[number];

interface Codec {
  mimeType: string;
  sdpFmtpLine?: string;
}

const is = (c: Codec, name: string): boolean => c.mimeType.toLowerCase() === `video/${name.toLowerCase()}`;

/** The codings of those that a browser says it encodes. */
export function codingsOf(codecs: readonly Codec[]): Coding[] {
  return codings.filter((name) => codecs.some((c) => is(c, name)));
}

/** The codecs to offer for a coding: those that may cut pictures into packets first, and what repeats packets. */
export function codecsOf<T extends Codec>(codecs: readonly T[], coding: Coding): T[] {
  const whole = (c: Codec): number => (c.sdpFmtpLine?.includes("packetization-mode=1") ? 0 : 1);
  const wanted = codecs.filter((c) => is(c, coding)).sort((a, b) => whole(a) - whole(b));
  return [...wanted, ...codecs.filter((c) => is(c, "rtx"))];
}

/** A number of bits a second for people. */
export function bitsText(bits: number): string {
  return bits >= 1e6 ? `${(bits / 1e6).toFixed(1)} Mbit/s` : `${Math.round(bits / 1e3)} kbit/s`;
}
