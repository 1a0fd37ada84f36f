// <webostrum-player feed="NAME" label="TITLE" rendition="NAME">: the player that
// pages embed. Without a rendition it plays what suits the feed. prefer is "delay",
// "reach" or "simple", and says which way is tried first: WebRTC, HLS or Motion JPEG;
// or within="SECONDS" says how far behind it may be. The others are fallen back to.
// keys="page" has its keys work anywhere on the page, for pages of nothing else.
// It starts muted, unless audio="on" says otherwise and the browser allows it.
import { controls, type Controls } from "./controls";
import { readWant } from "./order";
import { Session } from "./session";
import styles from "./player.css?inline";

const detailsEvery = 500;

export class WebostrumPlayer extends HTMLElement {
  static observedAttributes = ["feed", "label", "rendition", "prefer", "within"];

  private session: Session | null = null;
  private parts: Controls | null = null;
  private timer: ReturnType<typeof setInterval> | undefined;

  connectedCallback(): void {
    const root = this.shadowRoot ?? this.attachShadow({ mode: "open" });
    const style = document.createElement("style");
    style.textContent = styles;
    this.parts = controls(this.getAttribute("label") ?? this.getAttribute("feed") ?? "Camera", {
      toLive: () => this.session?.toLive(),
      keys: this.getAttribute("keys") === "page" ? document : null,
      withAudio: this.getAttribute("audio") === "on",
    });
    root.replaceChildren(style, this.parts.root);
    this.begin();
    this.timer = setInterval(() => this.showDetails(), detailsEvery);
  }

  disconnectedCallback(): void {
    clearInterval(this.timer);
    this.session?.close();
    this.session = null;
    this.parts?.dispose();
  }

  attributeChangedCallback(name: string, before: string | null, after: string | null): void {
    if (!this.isConnected || before === after || this.parts === null) return;
    if (name !== "label") this.begin();
    else this.parts.setLabel(after ?? "");
  }

  private begin(): void {
    this.session?.close();
    const feed = this.getAttribute("feed");
    const parts = this.parts;
    if (!feed || !parts) return;
    const rendition = this.getAttribute("rendition");
    const want = readWant(this.getAttribute("prefer"), this.getAttribute("within"));
    this.session = new Session(parts, `/media/${encodeURIComponent(feed)}`, rendition, want, {
      onPlaying: () => {
        parts.showPlaying();
        this.dataset.status = "playing";
      },
      onWaiting: (reason, remedy, forPerson) => {
        parts.showWaiting(reason, remedy, forPerson);
        this.dataset.status = "waiting";
      },
      onMethod: (key, audio, why) => {
        parts.showMethod(key === "pictures", audio, why);
        this.dataset.audio = audio ? "there" : "none";
      },
      onAudioRefused: () => parts.showAudioRefused(),
      onTitle: (title) => parts.setLabel(rendition ?? title),
    });
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
