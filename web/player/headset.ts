// Shows a picture that is all around in a viewer's headset, by WebXR.
import type { Matrix } from "./direction";

/** Draws what an eye sees: how it is turned, the tangents of what it sees, and which it is. */
export type DrawEye = (turned: Matrix, edges: readonly number[], eye: "left" | "right") => void;

// What is used of WebXR, which TypeScript's library does not describe.
interface XRView {
  eye: string;
  projectionMatrix: Float32Array;
  transform: { matrix: Float32Array };
}
interface XRLayer {
  framebuffer: WebGLFramebuffer;
  getViewport(view: XRView): { x: number; y: number; width: number; height: number };
}
interface XRFrame {
  getViewerPose(space: unknown): { views: XRView[] } | undefined;
}
interface XRSession extends EventTarget {
  updateRenderState(state: { baseLayer: XRLayer }): void;
  requestReferenceSpace(kind: string): Promise<unknown>;
  requestAnimationFrame(draw: (time: number, frame: XRFrame) => void): void;
  end(): Promise<void>;
}
interface XRSystem {
  isSessionSupported(mode: string): Promise<boolean>;
  requestSession(mode: string): Promise<XRSession>;
}
declare const XRWebGLLayer: new (session: XRSession, gl: WebGLRenderingContext) => XRLayer;

export class Headset {
  private session: XRSession | null = null;

  constructor(private readonly gl: WebGLRenderingContext) {}

  get on(): boolean {
    return this.session !== null;
  }

  /** Whether there is one. */
  async there(): Promise<boolean> {
    const { xr } = navigator as unknown as { xr?: XRSystem };
    return (await xr?.isSessionSupported("immersive-vr").catch(() => false)) ?? false;
  }

  /** Begins to show; false where the viewer or the browser does not let it. */
  async begin(draw: DrawEye): Promise<boolean> {
    const { xr } = navigator as unknown as { xr?: XRSystem };
    if (!xr || this.session) return false;
    try {
      const session = await xr.requestSession("immersive-vr");
      const layer = new XRWebGLLayer(session, this.gl);
      session.updateRenderState({ baseLayer: layer });
      const space = await session.requestReferenceSpace("local");
      this.session = session;
      session.addEventListener("end", () => {
        this.session = null;
        this.gl.bindFramebuffer(this.gl.FRAMEBUFFER, null);
      });
      const step = (_: number, frame: XRFrame) => {
        session.requestAnimationFrame(step);
        const pose = frame.getViewerPose(space);
        if (pose) this.show(layer, pose.views, draw);
      };
      session.requestAnimationFrame(step);
      return true;
    } catch {
      return false;
    }
  }

  private show(layer: XRLayer, views: readonly XRView[], draw: DrawEye): void {
    this.gl.bindFramebuffer(this.gl.FRAMEBUFFER, layer.framebuffer);
    for (const view of views) {
      const v = layer.getViewport(view);
      this.gl.viewport(v.x, v.y, v.width, v.height);
      draw(turnedOf(view.transform.matrix), edgesOf(view.projectionMatrix), view.eye === "right" ? "right" : "left");
    }
  }

  close(): void {
    void this.session?.end().catch(() => undefined);
  }
}

/** A headset looks along -z; the picture's middle is along +z here. */
export function turnedOf(m: ArrayLike<number>): Matrix {
  const at = (i: number) => m[i] ?? 0;
  return [at(0), at(1), -at(2), at(4), at(5), -at(6), -at(8), -at(9), at(10)];
}

/** Tangents of what a projection matrix sees: left, right, bottom, top. */
export function edgesOf(p: ArrayLike<number>): readonly number[] {
  const at = (i: number) => p[i] ?? 0;
  return [(at(8) - 1) / at(0), (at(8) + 1) / at(0), (at(9) - 1) / at(5), (at(9) + 1) / at(5)];
}
