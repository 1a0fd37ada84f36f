// The methods to play by, behind one interface.
export interface MethodEvents {
  /** The method came to its end; why is for the details line. */
  onFailed(why: string): void;
}

export interface Method {
  readonly name: string;
  /** Whether there is audio, where that was decided at the start. */
  readonly audio?: boolean;
  /** Capture time of the picture on show, milliseconds since 1970, if known. */
  capturedAt(): number | null;
  /** How long nothing may move before this method is given up, milliseconds. */
  patience(): number;
  /** Width and height of the picture where the video element does not have it. */
  size?(): [number, number];
  /** Whether pictures are there, where the video element does not show it. */
  began?(): boolean;
  /** How many frames were shown, where the element's time goes on without any. */
  frames?(): number | null;
  /** Goes over to a rendition without a break, or by itself with null; false where it cannot. */
  select?(rendition: string | null): boolean;
  /** The rendition that is played, where the method chooses by itself. */
  playing?(): string | null;
  /** Go to the newest picture. */
  toLive(): void;
  close(): void;
}

/** Where pictures are shown. */
export interface Stage {
  video: HTMLVideoElement;
  image: HTMLImageElement;
}
