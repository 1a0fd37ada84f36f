// <webostrum-player feed="NAME">: the player that pages embed. docs/player.md says what
// its attributes, properties, methods and events are.
import { scriptBase } from "./base";
import { Around, type Lens } from "./around";
import { controls, type Controls } from "./controls";
import { takeStill } from "./lastframe";
import { readWant, type MethodKey } from "./order";
import { Past } from "./past";
import { Session } from "./session";
import { Visibility } from "./visibility";
import styles from "./player.css?inline";

const detailsEvery = 500;

export type PlayerState = "idle" | "waiting" | "playing" | "paused" | "refused";
export type PlayerMethod = "webrtc" | "fragments" | "hls" | "motion-jpeg";

const methodNames: Record<MethodKey, PlayerMethod> = { webrtc: "webrtc", fragments: "fragments", hls: "hls", pictures: "motion-jpeg" };

export class WebostrumPlayer extends HTMLElement {
  static observedAttributes = ["feed", "link", "service", "label", "rendition", "prefer", "within", "by", "controls", "fit", "at"];

  private session: Session | Past | null = null;
  private parts: Controls | null = null;
  private around: Around | null = null;
  private timer: ReturnType<typeof setInterval> | undefined;
  private visibility: Visibility | null = null;
  private shown: PlayerState = "idle";
  private shownMethod: PlayerMethod | null = null;
  private held = false; // by the page or the viewer, or until somebody presses

  connectedCallback(): void {
    const root = this.shadowRoot ?? this.attachShadow({ mode: "open" });
    const style = document.createElement("style");
    style.textContent = styles;
    this.parts = controls(this.shownTitle, {
      toggle: () => void (this.paused ? this.play() : this.pause()),
      keys: this.getAttribute("keys") === "page" ? document : null,
      withAudio: this.getAttribute("audio") === "on",
      choose: (rendition) => {
        this.rendition = rendition;
      },
      step: (seconds) => this.goBack(-seconds),
      seek: (date) => this.goTo(date),
      live: () => this.goLive(),
      lookKey: (key) => this.around?.key(key) ?? false,
      follow: () => void this.around?.follow().then((on) => this.parts?.showFollows(on)),
      wear: () => void this.around?.wear(),
      onVolume: () => this.tell("volumechange", { muted: this.muted, volume: this.volume }),
    });
    root.replaceChildren(style, this.parts.root);
    this.look();
    this.timer = setInterval(() => this.showDetails(), detailsEvery);
    const start = this.getAttribute("start");
    this.held = start === "press";
    if (start === "visible" || this.getAttribute("offscreen") === "pause") {
      this.visibility = new Visibility(this, (seen) => this.onSeen(seen));
      if (this.held) this.showHeld();
      return; // it begins when it is seen
    }
    this.begin();
  }

  disconnectedCallback(): void {
    clearInterval(this.timer);
    this.visibility?.close();
    this.visibility = null;
    this.end();
    this.setLens(null);
    this.parts?.dispose();
    this.setState("idle");
  }

  attributeChangedCallback(name: string, before: string | null, after: string | null): void {
    if (!this.isConnected || before === after || this.parts === null) return;
    if (name === "at" && after !== null && this.session instanceof Past) this.session.seek(Date.parse(after));
    else if (name === "label") this.parts.setLabel(this.shownTitle);
    else if (name === "controls" || name === "fit") this.look();
    else if (name === "rendition" && this.session !== null) this.session.select(after);
    else if (this.session !== null || (!this.held && this.visibility?.seen !== false)) this.begin();
  }

  /** Plays, from now on; a feed is live, so it goes on with the present picture. */
  async play(): Promise<void> {
    this.held = false;
    if (this.session === null) this.begin();
  }

  /** Pauses: the picture stays, and nothing is loaded any more. */
  pause(): void {
    if (this.session === null && this.held) return;
    if (this.session instanceof Past && this.session.date !== null) this.at = new Date(this.session.date).toISOString(); // it goes on from there
    this.held = true;
    this.end();
    this.showHeld();
  }

  /** Goes so many seconds back from what is on show, where the feed lets one. */
  goBack(seconds: number): void {
    const shown = this.session instanceof Past ? this.session.date : Date.now() - (this.delay ?? 0);
    this.goTo((shown ?? Date.now()) - seconds * 1000);
  }

  /** Goes to a moment, milliseconds since 1970; to the newest picture when that is to come. */
  goTo(date: number): void {
    if (date >= Date.now()) this.goLive();
    else this.at = new Date(date).toISOString();
  }

  /** Goes to the newest picture. */
  goLive(): void {
    if (this.at !== null) this.at = null;
    else if (this.paused) void this.play();
    else this.session?.toLive();
  }

  /** Takes what is on show as a JPEG; where a page may not read it, the service's still. */
  async takeStill(): Promise<Blob> {
    if (this.parts === null || this.session === null) throw new DOMException("Nothing is played.", "InvalidStateError");
    return takeStill(this.parts.stage, this.session.still);
  }

  get paused(): boolean {
    return this.held;
  }
  get muted(): boolean {
    return this.parts?.stage.video.muted ?? true;
  }
  set muted(on: boolean) {
    if (this.parts) this.parts.stage.video.muted = on;
  }
  get volume(): number {
    return this.parts?.stage.video.volume ?? 1;
  }
  set volume(value: number) {
    if (this.parts) this.parts.stage.video.volume = Math.min(1, Math.max(0, value));
  }
  get state(): PlayerState {
    return this.shown;
  }
  get method(): PlayerMethod | null {
    return this.shownMethod;
  }
  /** How far behind the picture is, milliseconds; null when that is not known. */
  get delay(): number | null {
    return this.session?.details().delay ?? null;
  }
  get feed(): string | null {
    return this.getAttribute("feed");
  }
  set feed(name: string | null) {
    this.set("feed", name);
  }
  get link(): string | null {
    return this.getAttribute("link");
  }
  set link(text: string | null) {
    this.set("link", text);
  }
  /** The moment that is gone to, as in RFC 3339; null for live. */
  get at(): string | null {
    return this.getAttribute("at");
  }
  set at(moment: string | null) {
    this.set("at", moment);
  }
  get rendition(): string | null {
    return this.getAttribute("rendition");
  }
  set rendition(name: string | null) {
    this.set("rendition", name);
  }

  private set(attribute: string, value: string | null): void {
    if (value === null) this.removeAttribute(attribute);
    else this.setAttribute(attribute, value);
  }

  private get shownTitle(): string {
    return this.getAttribute("label") ?? this.feed ?? "Camera";
  }

  private get service(): string {
    return new URL(this.getAttribute("service") ?? scriptBase, location.href).href.replace(/\/$/, "");
  }

  private look(): void {
    this.parts?.setLook(this.getAttribute("controls") === "none", this.getAttribute("fit"));
  }

  private onSeen(seen: boolean): void {
    if (seen && !this.held && this.session === null) this.begin();
    else if (!seen && this.session !== null && this.getAttribute("offscreen") === "pause") {
      this.end();
      this.setState("paused");
    }
  }

  private showHeld(): void {
    this.parts?.showPaused(true);
    this.setState("paused");
    const poster = this.poster();
    if (poster) this.parts?.showPoster(poster);
  }

  private poster(): string | null {
    const asked = this.getAttribute("poster");
    return asked === "still" ? `${this.media()}/still.jpg?max-age=60` : asked;
  }

  private media(): string {
    const link = this.link ? `/link/${encodeURIComponent(this.link)}` : "";
    return `${this.service}/media/${encodeURIComponent(this.feed ?? "")}${link}`;
  }

  private end(): void {
    this.session?.close();
    this.session = null;
    this.setMethod(null, "");
  }

  private begin(): void {
    this.end();
    const parts = this.parts;
    if (this.held) this.showHeld();
    if (!this.feed || !parts || this.held) return;
    parts.showPaused(false);
    const poster = this.poster();
    if (poster) parts.showPoster(poster);
    const date = Date.parse(this.at ?? "");
    parts.showMoment(null);
    if (!Number.isNaN(date)) {
      this.beginPast(parts, date);
      return;
    }
    const { rendition } = this;
    const want = readWant(this.getAttribute("prefer"), this.getAttribute("within"), this.getAttribute("by"));
    this.session = new Session(parts.stage, this.service, this.media(), rendition, want, {
      onPlaying: () => {
        parts.showPlaying();
        this.setState("playing");
        this.setMethod(this.session?.methodKey ?? null, this.session?.details().why ?? "");
      },
      onWaiting: (reason, remedy, forPerson) => {
        parts.showWaiting(reason, remedy, forPerson);
        this.setState("waiting", reason);
      },
      onRefused: (reason, remedy) => {
        parts.showWaiting(reason, remedy, true);
        this.setState("refused", reason);
      },
      onMethod: (key, audio, why) => {
        parts.showMethod(key === "pictures", audio, why);
        this.dataset.audio = audio ? "there" : "none";
      },
      onAudioRefused: () => parts.showAudioRefused(),
      onChoices: (choices, chosen) => parts.showChoices(choices, chosen),
      onLens: (lens) => this.setLens(lens),
      onGoBack: (may) => parts.showGoBack(may),
      onTitle: (title) => parts.setLabel(this.getAttribute("label") ?? rendition ?? title),
    });
  }

  private setLens(lens: Lens | null): void {
    const { parts } = this;
    if (lens === null || !parts) {
      this.around?.close();
      this.around = null;
      parts?.showAround(false, false);
      return;
    }
    if (this.around === null) {
      const { video, image } = parts.stage;
      const around = new Around(() => (image.hidden ? video : image));
      if (!around.can) {
        around.close();
        return; // the picture is shown as it is
      }
      this.around = around;
      parts.stage.video.after(around.canvas);
      parts.showAround(true, false);
      void around.headset?.there().then((there) => this.around === around && parts.showAround(true, there));
    }
    this.around.setLens(lens);
  }

  /** Where the viewer looks in a picture that is all around, degrees; null in a flat one. */
  get looks(): { pan: number; tilt: number; fov: number } | null {
    return this.around?.looks ?? null;
  }

  /** Looks somewhere: pan to the right, tilt upward, fov across, degrees. */
  lookAt(direction: { pan?: number; tilt?: number; fov?: number }): void {
    this.around?.look(direction);
  }

  private beginPast(parts: Controls, date: number): void {
    parts.showMoment({ date, begins: date, ends: date });
    parts.showGoBack(true);
    parts.showMethod(false, true, "");
    parts.showChoices([], null);
    this.session = new Past(parts.stage, this.service, this.media(), date, {
      onPlaying: () => {
        parts.showPlaying();
        this.setState("playing");
      },
      onWaiting: (reason) => this.setState("waiting", reason),
      onRefused: (reason, remedy) => {
        parts.showWaiting(reason, remedy, true);
        this.setState("refused", reason);
      },
      onMoment: (moment) => {
        parts.showMoment(moment);
        this.dataset.date = String(Math.round(moment.date));
      },
      onEnd: () => this.goLive(),
    });
  }

  private setState(state: PlayerState, reason = ""): void {
    this.dataset.status = state;
    if (state === this.shown) return;
    this.shown = state;
    this.tell("statechange", { state, reason });
  }

  private setMethod(key: MethodKey | null, why: string): void {
    const method = key && methodNames[key];
    if (method === this.shownMethod) return;
    this.shownMethod = method;
    if (method) this.tell("methodchange", { method, reason: why });
  }

  private tell(type: string, detail: object): void {
    this.dispatchEvent(new CustomEvent(type, { detail }));
  }

  private showDetails(): void {
    const d = this.session?.details();
    if (!d) return;
    this.parts?.showDetails(d);
    this.dataset.method = d.method;
    this.dataset.why = d.why;
    if (d.delay !== null) this.dataset.delay = String(Math.round(d.delay));
  }
}

if (!customElements.get("webostrum-player")) customElements.define("webostrum-player", WebostrumPlayer);
