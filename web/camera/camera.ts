// The page by which a phone or a laptop becomes a feed's camera.
import { BackOff } from "../player/backoff";
import { cameraTrouble, Device } from "./device";
import { passEnds, readAddress } from "./pass";
import { bitsText, codingsOf, frameRates, heights, mostBits, usual, type Settings } from "./settings";
import { Refused, senderCodecs, Session, Unreached, type Arriving, type Wish } from "./whip";

type State = "idle" | "connecting" | "sending" | "lost" | "trouble";

const askAgain = "Open the address or the QR code again that whoever runs the service gave you, or ask for another one.";
const encodesWithin = 6000; // some browsers say that they encode what they do not yet, or never
const forGood = [404, 406]; // refusals that trying again does not change

function find<T extends HTMLElement>(id: string): T {
  return document.getElementById(id) as T;
}

const parts = {
  view: find<HTMLVideoElement>("view"),
  status: find("status"),
  arriving: find("arriving"),
  sentence: find("sentence"),
  remedy: find("remedy"),
  withAudio: find<HTMLInputElement>("with-audio"),
  camera: find<HTMLSelectElement>("camera"),
  height: find<HTMLSelectElement>("height"),
  rate: find<HTMLSelectElement>("rate"),
  zoom: find<HTMLInputElement>("zoom"),
  zoomRow: find("zoom-row"),
  torch: find<HTMLButtonElement>("torch"),
  audio: find<HTMLButtonElement>("audio"),
  turn: find<HTMLButtonElement>("turn"),
  more: find<HTMLButtonElement>("more"),
  settings: find("settings"),
};

const instance = crypto.randomUUID?.() ?? String(Math.random()).slice(2);

class CameraPage {
  private readonly address = readAddress(location.pathname, location.hash);
  private readonly device = new Device();
  private readonly backOff = new BackOff(1000, 15_000);
  private readonly settings: Settings = { ...usual };
  private session: Session | null = null;
  private codings = codingsOf([]); // that were not tried in vain, best first
  private retry: ReturnType<typeof setTimeout> | undefined;
  private lock: WakeLockSentinel | null = null;

  private show(state: State, text = ""): void {
    document.body.dataset.state = state;
    parts.status.textContent = text;
    if (state !== "sending") parts.arriving.textContent = "";
  }

  private trouble(sentence: string, remedy: string): void {
    this.end();
    parts.sentence.textContent = sentence;
    parts.remedy.textContent = remedy;
    this.show("trouble");
  }

  /** Says what stands in the way before anything is asked of the user. */
  check(): void {
    const ends = passEnds(this.address.pass);
    if (!isSecureContext || !navigator.mediaDevices) {
      const secure = location.href.replace(/^http:/, "https:");
      this.trouble("Browsers give cameras to pages over HTTPS alone.", `Open ${secure.split("#")[0]} instead, if the service has HTTPS, or ask whoever runs it.`);
    } else if (!("RTCPeerConnection" in globalThis)) {
      this.trouble("This browser has no WebRTC.", "Open the page in Chrome, Edge or Safari.");
    } else if (ends !== null && ends < Date.now()) {
      this.trouble("The time of this pass is over.", "Ask whoever runs the service for another one.");
    }
  }

  async begin(): Promise<void> {
    this.settings.audio = parts.withAudio.checked;
    this.show("connecting", "Opening the camera …");
    try {
      parts.view.srcObject = await this.device.open(this.settings);
    } catch (e) {
      const why = cameraTrouble(e);
      this.trouble(why.sentence, why.remedy);
      return;
    }
    this.settings.audio = this.device.audio !== undefined;
    this.codings = codingsOf(senderCodecs());
    this.watchTracks();
    this.fill();
    void this.stayAwake();
    await this.connect();
  }

  /** A track that the browser ends, as when a phone takes its camera away, ends sending. */
  private watchTracks(): void {
    const { video } = this.device;
    if (!video) return;
    video.onended = () => this.trouble("The browser has taken the camera away.", "Begin again; keep this page in front.");
    const turned = video.getSettings().facingMode === "user";
    parts.view.style.transform = turned ? "scaleX(-1)" : "";
  }

  private async connect(): Promise<void> {
    clearTimeout(this.retry);
    const { stream } = this.device;
    const [coding] = this.codings;
    if (!stream) return;
    if (coding === undefined) {
      this.trouble("This browser encodes neither H.264 nor VP8.", "Open the page in Chrome, Edge or Safari.");
      return;
    }
    this.session?.close();
    this.session = null;
    this.show("connecting", "Connecting …");
    const url = `${location.pathname.replace(/\/$/, "")}/whip?instance=${instance}`;
    const session = new Session(url, this.address.pass, stream, coding, {
      onArriving: (a) => this.arrived(a),
      onWish: (w) => void this.grant(w),
      onControl: () => this.tell(),
      onLost: (why) => this.lost(why),
    });
    this.session = session;
    try {
      await session.open();
      await session.limit(mostBits(this.settings.height, this.settings.frameRate), this.settings.frameRate);
      this.show("sending", `Sending to ${this.address.feed}`);
      this.retry = setTimeout(() => void this.doubt(session), encodesWithin);
    } catch (e) {
      if (session === this.session) this.refused(e);
    }
  }

  /** Goes over to the next coding when the browser has not encoded a picture. */
  private async doubt(session: Session): Promise<void> {
    if (this.codings.length < 2 || document.visibilityState !== "visible" || (await session.encodes()) || session !== this.session) return;
    this.codings = this.codings.slice(1);
    await this.connect();
  }

  private refused(e: unknown): void {
    this.session = null;
    if (e instanceof Refused && (e.status === 401 || e.status === 403)) this.trouble(this.address.pass === "" ? "This page needs a pass." : "The pass of this page is not taken, or no longer.", askAgain);
    else if (e instanceof Refused && forGood.includes(e.status)) this.trouble(e.message, e.remedy);
    else if (e instanceof Refused) this.again(e.message);
    else if (e instanceof Unreached) this.again("The service answers, but its port for WebRTC is not reached.");
    else this.again("The service does not answer.");
  }

  private lost(why: string): void {
    this.session = null;
    if (this.device.stream) this.again(why);
  }

  private again(why: string): void {
    const pause = this.backOff.pause();
    this.show("lost", `${why} Trying again in ${Math.ceil(pause / 1000)} s …`);
    this.retry = setTimeout(() => void this.connect(), pause);
  }

  private arrived(a: Arriving): void {
    if (a.width === 0) return;
    this.backOff.reset();
    const lost = a.lost > 0 ? `, ${a.lost} packets lost on the way` : "";
    parts.arriving.textContent = `Arriving: ${a.width}x${a.height}, ${a.frameRate.toFixed(0)} fps, ${bitsText(a.bitRate)}${lost}`;
  }

  private tell(): void {
    this.session?.tell(this.device.tell());
  }

  /** Does what an engineer asks for, as far as the camera can. */
  private async grant(w: Wish): Promise<void> {
    const other = w.camera === undefined ? undefined : this.device.cameras[w.camera];
    if (other && w.camera !== this.device.index) await this.use(other.deviceId);
    try {
      await this.device.grant(w);
    } catch {
      // what the camera cannot do shows in what is told
    }
    this.fill();
    this.tell();
  }

  /** Goes over to another camera; the session goes on. */
  private async use(deviceId: string): Promise<void> {
    const before = this.settings.camera;
    this.settings.camera = deviceId;
    try {
      parts.view.srcObject = await this.device.open(this.settings);
    } catch {
      this.settings.camera = before;
      parts.view.srcObject = await this.device.open(this.settings);
    }
    this.watchTracks();
    await this.session?.video.replaceTrack(this.device.video ?? null);
    await this.session?.audio.replaceTrack(this.settings.audio ? (this.device.audio ?? null) : null);
  }

  async turn(): Promise<void> {
    const { cameras, index } = this.device;
    const next = cameras[(index + 1) % cameras.length];
    if (next) await this.use(next.deviceId);
    this.fill();
    this.tell();
  }

  async choose(deviceId: string): Promise<void> {
    await this.use(deviceId);
    this.fill();
    this.tell();
  }

  async resize(height: number, frameRate: number): Promise<void> {
    Object.assign(this.settings, { height, frameRate });
    await this.device.change(this.settings).catch(() => undefined); // the nearest that the camera has stays
    await this.session?.limit(mostBits(height, frameRate), frameRate);
    this.tell();
  }

  /** Switches the microphone: without it nothing of it is sent. */
  async switchAudio(): Promise<void> {
    this.settings.audio = !this.settings.audio;
    const track = this.device.audio ?? null;
    if (track) track.enabled = this.settings.audio;
    await this.session?.audio.replaceTrack(this.settings.audio ? track : null);
    this.fill();
  }

  async ask(w: Wish): Promise<void> {
    await this.grant(w);
  }

  toggleTorch(): void {
    void this.grant({ torch: parts.torch.getAttribute("aria-pressed") !== "true" });
  }

  /** Shows what the camera has and how it is set. */
  private fill(): void {
    const told = this.device.tell();
    options(parts.camera, this.device.cameras.map((c, i) => [c.deviceId, told.cameras[i] ?? ""]), this.device.cameras[told.camera]?.deviceId ?? "");
    options(parts.height, heights.map((h) => [String(h), `${Math.round((h * 16) / 9)}x${h}`]), String(this.settings.height));
    options(parts.rate, frameRates.map((r) => [String(r), String(r)]), String(this.settings.frameRate));
    parts.turn.hidden = this.device.cameras.length < 2;
    parts.torch.hidden = told.torch === null;
    parts.torch.setAttribute("aria-pressed", String(told.torch === true));
    parts.audio.disabled = this.device.audio === undefined;
    parts.audio.setAttribute("aria-pressed", String(this.settings.audio));
    parts.zoomRow.hidden = told.zooms === null;
    if (told.zooms) Object.assign(parts.zoom, { min: told.zooms.min, max: told.zooms.max, step: told.zooms.step, value: told.zoom ?? told.zooms.min });
  }

  /** Keeps the screen on: a phone that goes to sleep takes the camera away. */
  async stayAwake(): Promise<void> {
    if (!this.device.stream || document.visibilityState !== "visible") return;
    try {
      this.lock = (await navigator.wakeLock?.request("screen")) ?? null;
    } catch {
      this.lock = null; // saving power, perhaps
    }
  }

  /** The page is in front again: what was lost meanwhile is opened at once. */
  resume(): void {
    void this.stayAwake();
    if (document.body.dataset.state === "lost") void this.connect();
  }

  end(): void {
    clearTimeout(this.retry);
    this.session?.close();
    this.session = null;
    this.device.close();
    parts.view.srcObject = null;
    void this.lock?.release();
    this.lock = null;
    this.show("idle");
  }
}

/** Fills a choice, unless it has the same options already. */
function options(select: HTMLSelectElement, list: (readonly [string, string])[], value: string): void {
  const same = select.options.length === list.length && list.every(([v, text], i) => select.options[i]?.value === v && select.options[i]?.text === text);
  if (!same) select.replaceChildren(...list.map(([v, text]) => new Option(text, v)));
  select.value = value;
}

const page = new CameraPage();
page.check();
find("begin").onclick = () => void page.begin();
find("again").onclick = () => void page.begin();
find("stop").onclick = () => page.end();
parts.turn.onclick = () => void page.turn();
parts.torch.onclick = () => page.toggleTorch();
parts.audio.onclick = () => void page.switchAudio();
parts.camera.onchange = () => void page.choose(parts.camera.value);
parts.height.onchange = parts.rate.onchange = () => void page.resize(Number(parts.height.value), Number(parts.rate.value));
parts.zoom.oninput = () => void page.ask({ zoom: Number(parts.zoom.value) });
parts.more.onclick = () => {
  parts.settings.hidden = !parts.settings.hidden;
  parts.more.setAttribute("aria-expanded", String(!parts.settings.hidden));
};
document.addEventListener("visibilitychange", () => page.resume());
addEventListener("online", () => page.resume());
addEventListener("pagehide", () => page.end());
