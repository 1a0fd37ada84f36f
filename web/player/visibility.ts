/** Tells whether an element is seen: within the window, of a page that is in front. */
export class Visibility {
  private readonly observer: IntersectionObserver;
  private inside = false;
  /** Whether it is seen now. */
  seen = false;

  private readonly onPage = () => this.update();

  constructor(
    element: Element,
    private readonly onChange: (seen: boolean) => void,
  ) {
    this.observer = new IntersectionObserver((entries) => {
      this.inside = entries.at(-1)?.isIntersecting ?? false;
      this.update();
    });
    this.observer.observe(element);
    document.addEventListener("visibilitychange", this.onPage);
  }

  private update(): void {
    const seen = this.inside && document.visibilityState === "visible";
    if (seen === this.seen) return;
    this.seen = seen;
    this.onChange(seen);
  }

  close(): void {
    this.observer.disconnect();
    document.removeEventListener("visibilitychange", this.onPage);
  }
}
