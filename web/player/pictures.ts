// Motion JPEG in an image element: no script sees its pictures, and nothing decodes
// video. It has no sound.
import type { Method, MethodEvents } from "./method";

export class PicturesMethod implements Method {
  readonly name = "Motion JPEG";
  private loaded = false;
  private readonly onLoad: () => void;
  private readonly onError: () => void;

  constructor(
    private readonly image: HTMLImageElement,
    private readonly url: string,
    events: MethodEvents,
  ) {
    this.onLoad = () => {
      this.loaded = true;
    };
    this.onError = () => events.onFailed("no pictures by Motion JPEG");
    image.addEventListener("load", this.onLoad);
    image.addEventListener("error", this.onError);
    image.crossOrigin = "anonymous"; // so that what is shown can be read back
    image.hidden = false;
    this.toLive();
  }

  began(): boolean {
    // Some engines tell of the first picture, some only of the end.
    return this.loaded || this.image.naturalWidth > 0;
  }

  size(): [number, number] {
    return [this.image.naturalWidth, this.image.naturalHeight];
  }

  capturedAt(): number | null {
    return null;
  }

  patience(): number {
    return 15_000;
  }

  toLive(): void {
    this.image.src = this.url;
  }

  close(): void {
    this.image.removeEventListener("load", this.onLoad);
    this.image.removeEventListener("error", this.onError);
    this.image.src = ""; // closes the connection; taking the element away would not
    this.image.removeAttribute("src");
    this.image.hidden = true;
  }
}
