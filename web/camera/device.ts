// The camera of the device: opened, changed, and asked for what it can do.
import { videoConstraints, type Settings } from "./settings";
import type { Wish } from "./whip";

/** Settings of cameras that the type library does not know yet. */
type More = { torch?: boolean; zoom?: number | { min: number; max: number; step: number }; focusMode?: string | string[] };

/** What is told of the camera; see whip.Camera in the service. */
export interface Told {
  cameras: string[];
  camera: number;
  torch: boolean | null;
  zoom: number | null;
  zooms: { min: number; max: number; step: number } | null;
  focus: string[];
  focused: string;
  width: number;
  height: number;
}

/** Why there is no camera, in a sentence, and what to do. */
export function cameraTrouble(e: unknown): { sentence: string; remedy: string } {
  const name = e instanceof DOMException ? e.name : "";
  switch (name) {
    case "NotAllowedError":
    case "SecurityError":
      return { sentence: "The browser was not allowed to use the camera.", remedy: "Allow it in the browser's settings for this page, and begin again." };
    case "NotFoundError":
    case "OverconstrainedError":
      return { sentence: "This device has no such camera.", remedy: "Choose another one, or plug one in." };
    case "NotReadableError":
    case "AbortError":
      return { sentence: "The camera is in use by another program, or does not answer.", remedy: "Close the other program, and begin again." };
  }
  return { sentence: "The camera cannot be opened.", remedy: e instanceof Error ? e.message : "Begin again." };
}

export class Device {
  stream: MediaStream | null = null;
  cameras: MediaDeviceInfo[] = [];

  /** Opens the camera, with sound where it is wanted and allowed. */
  async open(s: Settings): Promise<MediaStream> {
    this.close();
    this.stream = await media(s);
    this.cameras = (await navigator.mediaDevices.enumerateDevices()).filter((d) => d.kind === "videoinput");
    return this.stream;
  }

  get video(): MediaStreamTrack | undefined {
    return this.stream?.getVideoTracks()[0];
  }

  get audio(): MediaStreamTrack | undefined {
    return this.stream?.getAudioTracks()[0];
  }

  /** Which of the cameras is on. */
  get index(): number {
    const id = this.video?.getSettings().deviceId;
    return Math.max(
      this.cameras.findIndex((c) => c.deviceId === id),
      0,
    );
  }

  /** Changes size and frame rate of the camera that is on. */
  async change(s: Settings): Promise<void> {
    const { deviceId: _, facingMode: __, ...rest } = videoConstraints(s);
    await this.video?.applyConstraints(rest);
  }

  /** Does what it can of a wish, save for another camera. */
  async grant(w: Wish): Promise<void> {
    const advanced: More = {};
    if (w.torch !== undefined) advanced.torch = w.torch;
    if (w.zoom !== undefined) advanced.zoom = w.zoom;
    if (w.focus !== undefined) advanced.focusMode = w.focus;
    await this.video?.applyConstraints({ advanced: [advanced as MediaTrackConstraintSet] });
  }

  tell(): Told {
    const can = (this.video?.getCapabilities?.() ?? {}) as MediaTrackCapabilities & More;
    const now = (this.video?.getSettings() ?? {}) as MediaTrackSettings & More;
    const zooms = typeof can.zoom === "object" ? can.zoom : null;
    return {
      cameras: this.cameras.map((c, i) => c.label || `Camera ${i + 1}`),
      camera: this.index,
      torch: can.torch ? Boolean(now.torch) : null,
      zoom: zooms && typeof now.zoom === "number" ? now.zoom : null,
      zooms: zooms && { min: zooms.min, max: zooms.max, step: zooms.step || 0.1 },
      focus: Array.isArray(can.focusMode) ? can.focusMode : [],
      focused: typeof now.focusMode === "string" ? now.focusMode : "",
      width: now.width ?? 0,
      height: now.height ?? 0,
    };
  }

  close(): void {
    this.stream?.getTracks().forEach((t) => t.stop());
    this.stream = null;
  }
}

/** Asks for the camera, and without sound where that is refused. */
async function media(s: Settings): Promise<MediaStream> {
  const video = videoConstraints(s);
  if (!s.audio) return navigator.mediaDevices.getUserMedia({ video });
  try {
    return await navigator.mediaDevices.getUserMedia({ video, audio: true });
  } catch {
    return navigator.mediaDevices.getUserMedia({ video });
  }
}
