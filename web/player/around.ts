// Shows a picture that is all around, or a fisheye's, to be looked around in: by WebGL, on a
// canvas above whatever plays.
import { ahead, dragged, pointed, proper, rotation, zoomed, type Direction, type Matrix } from "./direction";
import { Headset } from "./headset";

export interface Lens {
  projection: string;
  fieldOfView?: number;
}

const vertex = `
attribute vec2 corner;
varying vec2 at;
void main() { at = corner; gl_Position = vec4(corner, 0.0, 1.0); }`;

// Each pixel asks where it looks, and what of the picture is shown there.
const fragment = `
precision highp float;
varying vec2 at;
uniform sampler2D picture;
uniform mat3 turned;
uniform vec4 edges; // tangents of what is seen: left, right, bottom, top
uniform vec2 shape; // of a fisheye: share of the picture's sides that its circle has
uniform float lens; // of a fisheye, radians; 0 is all around
uniform vec2 half_; // where the eye's part begins, and how high it is
const float pi = 3.14159265;
void main() {
  vec2 t = vec2(mix(edges.x, edges.y, at.x * 0.5 + 0.5), mix(edges.z, edges.w, at.y * 0.5 + 0.5));
  vec3 d = turned * normalize(vec3(t, 1.0));
  vec2 p;
  if (lens > 0.0) {
    float r = acos(clamp(d.z, -1.0, 1.0)) / lens;
    float side = length(d.xy);
    if (r > 0.5) { gl_FragColor = vec4(0.0, 0.0, 0.0, 1.0); return; }
    p = vec2(0.5) + (side > 0.0 ? r * d.xy / side : vec2(0.0)) * vec2(shape.x, -shape.y);
  } else {
    p = vec2(0.5 + atan(d.x, d.z) / (2.0 * pi), 0.5 - asin(clamp(d.y, -1.0, 1.0)) / pi);
    p.y = half_.x + p.y * half_.y;
  }
  gl_FragColor = texture2D(picture, p);
}`;

const wheelStep = 1.1;
const keyStep = 6; // degrees

type Eye = "left" | "right";

/** Where what is shown comes from: a video, or a picture that is renewed. */
export type PictureSource = () => HTMLVideoElement | HTMLImageElement;

export class Around {
  readonly canvas = document.createElement("canvas");
  private readonly gl: WebGLRenderingContext | null;
  private readonly program: WebGLProgram | null = null;
  private direction: Direction = ahead;
  private lens: Lens = { projection: "equirectangular" };
  private frame = 0;
  private closed = false;
  private gyro: { pan: number; tilt: number } | null = null; // of the last reading
  private readonly pointers = new Map<number, { x: number; y: number }>();
  readonly headset: Headset | null;

  constructor(private readonly source: PictureSource) {
    this.canvas.className = "around";
    this.canvas.setAttribute("aria-label", "Drag to look around");
    this.gl = this.canvas.getContext("webgl", { alpha: false, antialias: false, xrCompatible: true } as WebGLContextAttributes);
    this.program = this.gl && build(this.gl);
    this.headset = this.gl && "xr" in navigator ? new Headset(this.gl) : null;
    this.canvas.addEventListener("pointerdown", (e) => this.onDown(e));
    this.canvas.addEventListener("pointermove", (e) => this.onMove(e));
    for (const kind of ["pointerup", "pointercancel"] as const) this.canvas.addEventListener(kind, (e) => this.pointers.delete(e.pointerId));
    this.canvas.addEventListener("wheel", (e) => this.onWheel(e), { passive: false });
    this.draw();
  }

  /** Whether this browser can show it. */
  get can(): boolean {
    return this.program !== null;
  }

  get looks(): Direction {
    return this.direction;
  }

  setLens(lens: Lens): void {
    this.lens = lens;
  }

  look(d: Partial<Direction>): void {
    this.direction = proper({ ...this.direction, ...d });
  }

  /** What a key does; false for one that does nothing here. */
  key(key: string): boolean {
    const { pan, tilt } = this.direction;
    const turns: Record<string, () => void> = {
      arrowleft: () => this.look({ pan: pan - keyStep }),
      arrowright: () => this.look({ pan: pan + keyStep }),
      arrowup: () => this.look({ tilt: tilt + keyStep }),
      arrowdown: () => this.look({ tilt: tilt - keyStep }),
      "+": () => this.zoom(1 / wheelStep),
      "=": () => this.zoom(1 / wheelStep),
      "-": () => this.zoom(wheelStep),
      home: () => this.look(ahead),
    };
    turns[key]?.();
    return key in turns;
  }

  /** Follows how the phone is held; false where the viewer or the browser does not let it. */
  async follow(): Promise<boolean> {
    const ask = (DeviceOrientationEvent as unknown as { requestPermission?: () => Promise<string> }).requestPermission;
    if (ask && (await ask.call(DeviceOrientationEvent).catch(() => "denied")) !== "granted") return false;
    addEventListener("deviceorientation", this.onOrientation);
    return true;
  }

  close(): void {
    this.closed = true;
    cancelAnimationFrame(this.frame);
    removeEventListener("deviceorientation", this.onOrientation);
    this.headset?.close();
    this.gl?.getExtension("WEBGL_lose_context")?.loseContext();
    this.canvas.remove();
  }

  private zoom(factor: number): void {
    this.direction = zoomed(this.direction, factor);
  }

  private readonly onOrientation = (e: DeviceOrientationEvent) => {
    if (e.alpha === null || e.beta === null || e.gamma === null || this.pointers.size > 0) return;
    const now = pointed(e.alpha, e.beta, e.gamma, screen.orientation?.angle ?? 0);
    if (this.gyro) this.look({ pan: this.direction.pan + now.pan - this.gyro.pan, tilt: this.direction.tilt + now.tilt - this.gyro.tilt });
    this.gyro = now;
  };

  private onDown(e: PointerEvent): void {
    this.canvas.setPointerCapture(e.pointerId);
    this.pointers.set(e.pointerId, { x: e.clientX, y: e.clientY });
  }

  private onMove(e: PointerEvent): void {
    const before = this.pointers.get(e.pointerId);
    if (!before) return;
    const others = [...this.pointers].filter(([id]) => id !== e.pointerId).map(([, p]) => p);
    const [other] = others;
    if (other) {
      const apart = (p: { x: number; y: number }) => Math.hypot(p.x - other.x, p.y - other.y);
      this.zoom(apart(before) / Math.max(1, apart({ x: e.clientX, y: e.clientY })));
    } else {
      this.direction = dragged(this.direction, e.clientX - before.x, e.clientY - before.y, this.canvas.clientWidth);
    }
    this.pointers.set(e.pointerId, { x: e.clientX, y: e.clientY });
  }

  private onWheel(e: WheelEvent): void {
    e.preventDefault();
    this.zoom(e.deltaY > 0 ? wheelStep : 1 / wheelStep);
  }

  private draw(): void {
    if (this.closed) return;
    this.frame = requestAnimationFrame(() => this.draw());
    const { gl, canvas } = this;
    if (!gl || !this.program || canvas.hidden || this.headset?.on) return;
    const scale = Math.min(2, devicePixelRatio);
    const [w, h] = [Math.round(canvas.clientWidth * scale), Math.round(canvas.clientHeight * scale)];
    if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h];
    if (!this.upload()) return;
    gl.viewport(0, 0, w, h);
    const wide = Math.tan((this.direction.fov / 360) * Math.PI);
    const high = (wide * h) / Math.max(1, w);
    this.paint(rotation(this.direction), [-wide, wide, -high, high], "left");
  }

  /** Shows the picture in a headset, as it is held. */
  wear(): Promise<boolean> {
    return this.headset?.begin((turned, edges, eye) => this.upload() && this.paint(turned, edges, eye)) ?? Promise.resolve(false);
  }

  /** Takes the newest picture; false while there is none, or the browser keeps it from us. */
  private upload(): boolean {
    const gl = this.gl;
    const from = this.source();
    const ready = from instanceof HTMLVideoElement ? from.readyState >= HTMLMediaElement.HAVE_CURRENT_DATA && from.videoWidth > 0 : from.complete && from.naturalWidth > 0;
    if (!gl || !ready) return false;
    try {
      gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGB, gl.RGB, gl.UNSIGNED_BYTE, from);
      return true;
    } catch {
      return false;
    }
  }

  private paint(turned: Matrix, edges: readonly number[], eye: Eye): void {
    const { gl, program } = this;
    if (!gl || !program) return;
    const at = (name: string) => gl.getUniformLocation(program, name);
    const from = this.source();
    const [w, h] = from instanceof HTMLVideoElement ? [from.videoWidth, from.videoHeight] : [from.naturalWidth, from.naturalHeight];
    const side = Math.min(w, h);
    const fisheye = this.lens.projection === "fisheye";
    const two = this.lens.projection === "top-bottom";
    gl.useProgram(program);
    gl.uniformMatrix3fv(at("turned"), false, turned);
    gl.uniform4fv(at("edges"), edges);
    gl.uniform2f(at("shape"), side / Math.max(1, w), side / Math.max(1, h));
    gl.uniform1f(at("lens"), fisheye ? ((this.lens.fieldOfView || 180) / 180) * Math.PI : 0);
    gl.uniform2f(at("half_"), two && eye === "right" ? 0.5 : 0, two ? 0.5 : 1);
    gl.drawArrays(gl.TRIANGLE_STRIP, 0, 4);
  }
}

/** Builds what draws; null where the browser cannot. */
function build(gl: WebGLRenderingContext): WebGLProgram | null {
  const program = gl.createProgram();
  for (const [kind, text] of [[gl.VERTEX_SHADER, vertex], [gl.FRAGMENT_SHADER, fragment]] as const) {
    const shader = gl.createShader(kind);
    if (!shader) return null;
    gl.shaderSource(shader, text);
    gl.compileShader(shader);
    gl.attachShader(program, shader);
  }
  gl.linkProgram(program);
  if (!gl.getProgramParameter(program, gl.LINK_STATUS)) return null;
  gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
  gl.bufferData(gl.ARRAY_BUFFER, new Float32Array([-1, -1, 1, -1, -1, 1, 1, 1]), gl.STATIC_DRAW);
  const corner = gl.getAttribLocation(program, "corner");
  gl.enableVertexAttribArray(corner);
  gl.vertexAttribPointer(corner, 2, gl.FLOAT, false, 0, 0);
  gl.bindTexture(gl.TEXTURE_2D, gl.createTexture());
  for (const side of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T]) gl.texParameteri(gl.TEXTURE_2D, side, gl.CLAMP_TO_EDGE);
  for (const size of [gl.TEXTURE_MIN_FILTER, gl.TEXTURE_MAG_FILTER]) gl.texParameteri(gl.TEXTURE_2D, size, gl.LINEAR);
  return program;
}
