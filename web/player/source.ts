// Media Source Extensions, by whichever name the browser has them.
type Managed = { ManagedMediaSource?: typeof MediaSource };

export function mediaSource(): typeof MediaSource | undefined {
  return globalThis.MediaSource ?? (globalThis as Managed).ManagedMediaSource;
}

export function hasMediaSource(): boolean {
  return mediaSource() !== undefined;
}
