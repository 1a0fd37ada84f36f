// Whether a viewer wants audio, kept from one visit to the next.

const place = "webostrum-audio";

/** What the viewer wanted last time; else what the page asks for. */
export function wantsAudio(asked: boolean): boolean {
  try {
    const kept = localStorage.getItem(place);
    return kept === null ? asked : kept === "on";
  } catch {
    return asked; // storage is forbidden here
  }
}

/** Keeps what the viewer has decided. */
export function keepAudio(on: boolean): void {
  try {
    localStorage.setItem(place, on ? "on" : "off");
  } catch {
    // storage is forbidden here
  }
}
