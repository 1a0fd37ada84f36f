/**
 * Types of <webostrum-player>, the element of player.js. Copy this file into a project, or
 * refer to it by its address. docs/player.md says more.
 */

export type PlayerState = "idle" | "waiting" | "playing" | "paused" | "refused";
export type PlayerMethod = "webrtc" | "fragments" | "hls" | "motion-jpeg";

export interface StateChange {
  state: PlayerState;
  /** Why, in a sentence; empty while it plays. */
  reason: string;
}

export interface MethodChange {
  method: PlayerMethod;
  /** Why this one, in a few words. */
  reason: string;
}

export interface VolumeChange {
  muted: boolean;
  volume: number;
}

interface PlayerEventMap {
  statechange: CustomEvent<StateChange>;
  methodchange: CustomEvent<MethodChange>;
  volumechange: CustomEvent<VolumeChange>;
}

export interface WebostrumPlayerElement extends HTMLElement {
  /** Name of the feed; the attribute of the same name. */
  feed: string | null;
  /** Text of a link that opens it; the attribute of the same name. */
  link: string | null;
  /** Name of a rendition; the attribute of the same name. */
  rendition: string | null;
  muted: boolean;
  /** 0 to 1. */
  volume: number;
  readonly paused: boolean;
  readonly state: PlayerState;
  /** What brings the picture; null while there is none. */
  readonly method: PlayerMethod | null;
  /** How far behind the picture is, milliseconds; null when that is not known. */
  readonly delay: number | null;

  /** Plays, from now on. */
  play(): Promise<void>;
  /** Keeps the picture, and loads nothing any more. */
  pause(): void;
  /** Goes to the newest picture. */
  goLive(): void;
  /** What is on show, as JPEG. */
  takeStill(): Promise<Blob>;

  addEventListener<K extends keyof PlayerEventMap>(type: K, listener: (event: PlayerEventMap[K]) => void, options?: boolean | AddEventListenerOptions): void;
  addEventListener(type: string, listener: EventListenerOrEventListenerObject, options?: boolean | AddEventListenerOptions): void;
}

declare global {
  interface HTMLElementTagNameMap {
    "webostrum-player": WebostrumPlayerElement;
  }
}
