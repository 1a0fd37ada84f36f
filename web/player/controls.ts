// What the viewer sees and presses. Everything is reachable by keyboard and
// told to screen readers.
import { icons, type IconName } from "./icons";
import type { Choice } from "./choices";
import type { Moment } from "./past";
import type { Details } from "./session";
import { keepAudio, wantsAudio } from "./audio";

export interface Controls {
  root: HTMLElement;
  stage: { video: HTMLVideoElement; image: HTMLImageElement };
  /** Says what is played: pictures alone, and whether there is audio, or why not. */
  showMethod(pictures: boolean, audio: boolean, why: string): void;
  showAudioRefused(): void;
  showPlaying(): void;
  /** Whether it is paused: a press goes on. */
  showPaused(paused: boolean): void;
  /** Shows a picture as long as there is none to play. */
  showPoster(address: string): void;
  /** How it looks: without controls, and how the picture fills its place. */
  setLook(bare: boolean, fit: string | null): void;
  showWaiting(reason: string, remedy?: string, forPerson?: boolean): void;
  showDetails(d: Details): void;
  /** What the viewer can choose, and what is chosen; null is automatic. */
  showChoices(choices: readonly Choice[], chosen: string | null): void;
  /** Whether the picture is all around, and whether there is a headset. */
  showAround(on: boolean, headset: boolean): void;
  /** Whether it follows how the phone is held. */
  showFollows(on: boolean): void;
  /** Whether the viewer may go back in time. */
  showGoBack(may: boolean): void;
  /** The moment of the past that is on show; null for live. */
  showMoment(moment: Moment | null): void;
  setLabel(label: string): void;
  dispose(): void;
}

export interface Actions {
  /** Plays when it is paused, and pauses when it plays. */
  toggle(): void;
  /** So many seconds forward, or back. */
  step(seconds: number): void;
  /** To a moment, milliseconds since 1970. */
  seek(date: number): void;
  live(): void;
  /** A key while the picture is all around; false for one that does nothing there. */
  lookKey(key: string): boolean;
  /** Has it follow how the phone is held. */
  follow(): void;
  /** Shows it in a headset. */
  wear(): void;
  onVolume(): void;
  /** The viewer chose a rendition; null is automatic. */
  choose(rendition: string | null): void;
  /** Where keys are listened to; null for the player itself. */
  keys: Document | null;
  /** Whether to start with audio, where the viewer has not decided. */
  withAudio: boolean;
}

const awakeFor = 4000; // milliseconds
const backBy = 30; // seconds

type Attributes = Record<string, string>;

function element<K extends keyof HTMLElementTagNameMap>(
  tag: K,
  className: string,
  attributes: Attributes = {},
  ...children: (Node | string)[]
): HTMLElementTagNameMap[K] {
  const e = document.createElement(tag);
  e.className = className;
  for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
  e.append(...children);
  return e;
}

function button(icon: IconName, label: string, key: string, press: () => void): HTMLButtonElement {
  const b = element("button", "button", { type: "button", part: "button", title: `${label} (${key})`, "aria-label": label });
  b.innerHTML = icons[icon];
  b.addEventListener("click", press);
  return b;
}

function swap(b: HTMLButtonElement, icon: IconName, label: string, key: string): void {
  b.innerHTML = icons[icon];
  b.title = `${label} (${key})`;
  b.setAttribute("aria-label", label);
}

export function controls(label: string, actions: Actions): Controls {
  const video = element("video", "video", { playsinline: "", tabindex: "-1", part: "video" });
  const image = element("img", "video", { alt: "", hidden: "", part: "video" });
  let audioWanted = wantsAudio(actions.withAudio);
  video.muted = !audioWanted; // with audio it may not start by itself; the session then mutes it
  video.autoplay = true;
  const reason = element("p", "reason");
  const remedy = element("p", "remedy");
  const spinner = element("span", "spinner", { "aria-hidden": "true" });
  const waiting = element("div", "waiting", { role: "status", part: "waiting" }, spinner, reason, remedy);
  const details = element("p", "details", { hidden: "", part: "details" });
  const title = element("span", "title", { part: "title" }, label);

  const play = button("pause", "Pause", "space", () => actions.toggle());
  const begin = element("button", "begin", { type: "button", "aria-label": "Play", part: "begin", hidden: "" });
  begin.innerHTML = icons.play;
  begin.addEventListener("click", () => actions.toggle());
  let bare = false;
  const audio = button("audioOff", "Sound on", "m", () => toggleAudio());
  const volume = element("input", "volume", { type: "range", min: "0", max: "1", step: "0.05", "aria-label": "Volume", hidden: "" });
  const info = button("info", "Details", "d", () => toggleDetails());
  const pip = button("pip", "Picture in picture", "p", () => void togglePip());
  const quality = element("select", "quality", { "aria-label": "Quality", title: "Quality", part: "quality", hidden: "" });
  quality.addEventListener("change", () => actions.choose(quality.value || null));
  const full = button("full", "Full screen", "f", () => void toggleFull());
  const back = button("back", "Back 30 seconds", "left", () => actions.step(-backBy));
  back.hidden = true;
  const follow = button("compass", "Look around by turning the phone", "g", () => actions.follow());
  const wear = button("headset", "Look around in a headset", "v", () => actions.wear());
  follow.hidden = wear.hidden = true;
  const clock = element("span", "clock", { part: "clock" });
  const seek = element("input", "seek", { type: "range", step: "1", "aria-label": "Time", part: "seek" });
  let moving = false; // by the viewer
  seek.addEventListener("input", () => {
    moving = true;
  });
  seek.addEventListener("change", () => {
    moving = false;
    actions.seek(Number(seek.value) * 1000);
  });
  const live = element("button", "live", { type: "button", title: "To the live picture (l)", "aria-label": "To the live picture", part: "button" }, "Live");
  live.addEventListener("click", () => actions.live());
  const past = element("span", "past", { hidden: "" }, clock, seek, live);
  info.setAttribute("aria-pressed", "false");
  pip.hidden = !document.pictureInPictureEnabled;
  const bar = element("div", "bar", { role: "toolbar", "aria-label": "Player", part: "bar" }, play, back, audio, volume, title, past, follow, wear, quality, info, pip, full);
  const root = element("section", "player", { "aria-label": label, tabindex: "0" }, video, image, waiting, details, begin, bar);
  full.hidden = typeof root.requestFullscreen !== "function";

  function toggleAudio(): void {
    if (audio.disabled) return;
    setAudio(video.muted);
    keepAudio(!video.muted);
  }
  function setAudio(on: boolean): void {
    video.muted = !on;
    audioWanted = on;
    if (on && video.volume === 0) video.volume = 0.5;
    audio.classList.remove("refused");
  }
  function louder(step: number): void {
    if (audio.disabled) return;
    video.volume = Math.min(1, Math.max(0, Math.round((video.volume + step) * 20) / 20));
    setAudio(video.volume > 0);
    keepAudio(!video.muted);
  }
  // What the viewer wants and the browser refused before is done at the first press.
  const onPress = (e: Event) => {
    if (!audioWanted || !video.muted || audio.disabled || e.composedPath().includes(audio)) return;
    setAudio(true);
  };
  const showAudio = () => {
    volume.hidden = video.muted || audio.disabled;
    volume.value = String(video.volume);
    if (video.muted) swap(audio, "audioOff", audio.classList.contains("refused") ? "Press for sound" : "Sound on", "m");
    else swap(audio, "audioOn", "Sound off", "m");
  };
  volume.addEventListener("input", () => louder(Number(volume.value) - video.volume));
  function toggleDetails(): void {
    details.hidden = !details.hidden;
    info.setAttribute("aria-pressed", String(!details.hidden));
  }
  async function togglePip(): Promise<void> {
    try {
      if (document.pictureInPictureElement) await document.exitPictureInPicture();
      else await video.requestPictureInPicture();
    } catch {
      // Refused by the browser, for instance before the first picture.
    }
  }
  async function toggleFull(): Promise<void> {
    try {
      if (document.fullscreenElement) await document.exitFullscreen();
      else await root.requestFullscreen();
    } catch {
      // Refused by the browser or by the page that embeds us.
    }
  }

  const keys: Record<string, () => void> = {
    " ": () => actions.toggle(),
    m: toggleAudio,
    d: toggleDetails,
    p: () => void togglePip(),
    f: () => void toggleFull(),
    arrowleft: () => {
      if (!back.hidden) actions.step(-backBy);
    },
    arrowright: () => {
      if (!past.hidden) actions.step(backBy);
    },
    l: () => actions.live(),
    arrowup: () => louder(0.1),
    arrowdown: () => louder(-0.1),
  };
  const keyTarget: Document | HTMLElement = actions.keys ?? root;
  const onKey = (e: Event) => {
    if (!(e instanceof KeyboardEvent)) return;
    const act = keys[e.key.toLowerCase()];
    const [on] = e.composedPath();
    const own = (on instanceof HTMLButtonElement && e.key === " ") || on instanceof HTMLInputElement || on instanceof HTMLSelectElement || on instanceof HTMLTextAreaElement;
    const free = !bare && !e.ctrlKey && !e.metaKey && !e.altKey && !own;
    if (free && root.classList.contains("turns") && actions.lookKey(e.key.toLowerCase())) {
      e.preventDefault();
      return;
    }
    if (!act || bare || e.ctrlKey || e.metaKey || e.altKey || own) return;
    e.preventDefault();
    act?.();
  };
  keyTarget.addEventListener("keydown", onKey);
  video.addEventListener("volumechange", () => {
    showAudio();
    actions.onVolume();
  });
  for (const kind of ["pointerup", "keyup"]) root.addEventListener(kind, onPress);
  // The bar shows itself when something moves, and goes so that nothing hides the
  // picture.
  let sleep: ReturnType<typeof setTimeout> | undefined;
  const wake = () => {
    root.classList.add("awake");
    clearTimeout(sleep);
    sleep = setTimeout(() => root.classList.remove("awake"), awakeFor);
  };
  for (const kind of ["pointermove", "pointerdown", "keydown"]) root.addEventListener(kind, wake);
  wake();
  const onFull = () => {
    const inside = document.fullscreenElement !== null;
    swap(full, inside ? "fullExit" : "full", inside ? "Leave full screen" : "Full screen", "f");
  };
  document.addEventListener("fullscreenchange", onFull);

  return {
    root,
    stage: { video, image },
    showMethod(pictures, there, why) {
      video.hidden = pictures;
      pip.hidden = pictures || !document.pictureInPictureEnabled;
      audio.disabled = !there;
      showAudio();
      if (!there) {
        audio.title = why;
        audio.setAttribute("aria-label", why);
      }
    },
    showAudioRefused() {
      audio.classList.add("refused");
      showAudio();
    },
    showPlaying() {
      waiting.hidden = true;
    },
    showPaused(paused) {
      begin.hidden = !paused;
      if (paused) waiting.hidden = true;
      if (paused) video.hidden = false; // its poster is the last frame
      swap(play, paused ? "play" : "pause", paused ? "Play" : "Pause", "space");
    },
    showPoster(address) {
      if (!video.poster) video.poster = address;
    },
    setLook(without, fit) {
      bare = without;
      bar.hidden = without;
      for (const e of [video, image]) e.style.objectFit = fit === "cover" || fit === "fill" ? fit : "";
    },
    showWaiting(why, what, forPerson) {
      waiting.hidden = false;
      spinner.hidden = forPerson === true; // nothing comes by waiting
      // Set only when new, so that screen readers do not say it again and again.
      if (reason.textContent !== why) reason.textContent = why;
      if (remedy.textContent !== (what ?? "")) remedy.textContent = what ?? "";
    },
    showDetails(d) {
      const delay = d.delay === null ? "delay not known" : `${(d.delay / 1000).toFixed(1)} s behind`;
      const rate = d.frameRate === null ? "" : `${d.frameRate.toFixed(0)} fps`;
      const wish = d.within > 0 ? `${delay} (${d.within} s wanted)` : delay;
      details.textContent = [d.method, d.rendition ?? "", d.size, rate, wish, d.why].filter(Boolean).join("  ·  ");
    },
    showChoices(choices, chosen) {
      quality.hidden = choices.length === 0;
      const all = [{ name: "", label: "Automatic" }, ...choices];
      quality.replaceChildren(...all.map(({ name, label: text }) => element("option", "", { value: name }, text)));
      quality.value = chosen ?? "";
    },
    showAround(on, headset) {
      root.classList.toggle("turns", on);
      follow.hidden = !on || !("DeviceOrientationEvent" in window) || !matchMedia("(pointer: coarse)").matches;
      wear.hidden = !on || !headset;
    },
    showFollows(on) {
      follow.setAttribute("aria-pressed", String(on));
    },
    showGoBack(may) {
      back.hidden = !may;
    },
    showMoment(moment) {
      past.hidden = moment === null;
      root.classList.toggle("inPast", moment !== null);
      if (moment === null) return;
      clock.textContent = new Date(moment.date).toLocaleString([], { weekday: "short", hour: "2-digit", minute: "2-digit", second: "2-digit" });
      if (moving) return;
      seek.min = String(Math.floor(moment.begins / 1000));
      seek.max = String(Math.ceil(moment.ends / 1000));
      seek.value = String(Math.round(moment.date / 1000));
      seek.setAttribute("aria-valuetext", clock.textContent);
    },
    setLabel(text) {
      title.textContent = text;
      root.setAttribute("aria-label", text);
    },
    dispose() {
      clearTimeout(sleep);
      keyTarget.removeEventListener("keydown", onKey);
      document.removeEventListener("fullscreenchange", onFull);
    },
  };
}
