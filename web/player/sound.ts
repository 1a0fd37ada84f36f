// Whether a viewer wants sound, kept from one visit to the next.

const place = "webostrum-sound";

/** What the viewer wanted last time; else what the page asks for. */
export function wantsSound(asked: boolean): boolean {
  try {
    const kept = localStorage.getItem(place);
    return kept === null ? asked : kept === "on";
  } catch {
    return asked; // storage is forbidden here
  }
}

/** Keeps what the viewer has decided. */
export function keepSound(on: boolean): void {
  try {
    localStorage.setItem(place, on ? "on" : "off");
  } catch {
    // storage is forbidden here
  }
}
