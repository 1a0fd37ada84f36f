/** Pauses between tries that double up to a longest, spread by a quarter either way. */
export class BackOff {
  private next: number;

  constructor(
    private readonly first: number,
    private readonly longest: number,
    private readonly random: () => number = Math.random,
  ) {
    this.next = first;
  }

  reset(): void {
    this.next = this.first;
  }

  /** How long to wait before the next try, milliseconds. */
  pause(): number {
    const now = this.next * (0.75 + this.random() / 2);
    this.next = Math.min(this.next * 2, this.longest);
    return now;
  }
}
