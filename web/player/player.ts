// <webostrum-player feed="NAME" label="TITLE" rendition="NAME">: the player that
// pages embed. Without a rendition it plays what suits the feed. With prefer="delay"
// it plays by WebRTC where that works, and else by HLS, as without it.
import { controls, type Controls } from "./controls";
import { Session } from "./session";
import styles from "./player.css?inline";

const detailsEvery = 500;

export class WebostrumPlayer extends HTMLElement {
  static observedAttributes = ["feed", "label", "rendition", "prefer"];

  private session: Session | null = null;
  private parts: Controls | null = null;
  private timer: ReturnType<typeof setInterval> | undefined;

  connectedCallback(): void {
    const root = this.shadowRoot ?? this.attachShadow({ mode: "open" });
    const style = document.createElement("style");
    style.textContent = styles;
    this.parts = controls(this.getAttribute("label") ?? this.getAttribute("feed") ?? "Camera", {
      toLive: () => this.session?.toLive(),
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
    const prefer = this.getAttribute("prefer") === "delay" ? "delay" : "reach";
    this.session = new Session(parts.video, `/media/${encodeURIComponent(feed)}`, rendition, prefer, {
      onPlaying: () => {
        parts.showPlaying();
        this.dataset.status = "playing";
      },
      onWaiting: (reason, remedy) => {
        parts.showWaiting(reason, remedy);
        this.dataset.status = "waiting";
      },
      onTitle: (title) => parts.setLabel(rendition ?? title),
    });
  }

  private showDetails(): void {
    const d = this.session?.details();
    if (!d) return;
    this.parts?.showDetails(d);
    this.dataset.method = d.method;
    if (d.delay !== null) this.dataset.delay = String(Math.round(d.delay));
  }
}

if (!customElements.get("webostrum-player")) customElements.define("webostrum-player", WebostrumPlayer);
