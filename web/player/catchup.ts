// Keeps HLS at its place behind live: a little faster when it is a little late, a jump
// when it is far.

/** Behind its place by less than this, seconds, nothing is done. */
export const slack = 0.4;
/** Behind by more than this for so many looks, it jumps. */
export const far = 2.5;
const looks = 3;
/** A rate that is not noticed; what is less than far is made up for in 25 s. */
const faster = 1.1;

export interface Step {
  rate: number;
  jump: boolean;
}

/** CatchUp decides once a second what to do; behind is by how much it is late, seconds. */
export class CatchUp {
  private lateFor = 0;
  private hurrying = false;

  step(behind: number): Step {
    if (behind > far) {
      this.lateFor++;
      if (this.lateFor >= looks) {
        this.lateFor = 0;
        this.hurrying = false;
        return { rate: 1, jump: true };
      }
    } else this.lateFor = 0;
    if (behind > 2 * slack) this.hurrying = true;
    if (behind < slack / 2) this.hurrying = false;
    return { rate: this.hurrying ? faster : 1, jump: false };
  }
}
