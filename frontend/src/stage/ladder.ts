// How coarsely a frame is drawn while something moves, decided by the time between frames. At rest every level draws the same.
const STEPS = [
  { scale: 1, lens: true },
  { scale: 0.5, lens: true },
  { scale: 0.5, lens: false },
] as const;
/** ms of a frame above which a step down is taken, and below which one is taken back after a while. */
const SLOW = 55;
const QUICK = 20;

export class Ladder {
  private level = 0;
  private frameMs = 16;
  private good = 0;
  private previous = 0;

  /** Size of the picture, and whether the lens is drawn at all. */
  get step() {
    return STEPS[this.level]!;
  }

  /** How many frames are averaged at rest: at most about 0.6 s of finishing. */
  samples(most: number) {
    return Math.max(1, Math.min(most, Math.floor(600 / this.frameMs)));
  }

  /** Frame-to-frame time while moving; unlike time spent in JavaScript it includes the graphics card. */
  moved(t: number) {
    if (this.previous && t - this.previous < 2000) {
      this.frameMs += (t - this.previous - this.frameMs) * 0.3;
      this.good = this.frameMs < QUICK ? this.good + 1 : 0;
      if (this.frameMs > SLOW && this.level < STEPS.length - 1) {
        this.level++;
        this.frameMs = 30;
      } else if (this.good > 90 && this.level > 0) {
        this.level--;
        this.good = 0;
      }
    }
    this.previous = t;
  }

  rested() {
    this.previous = 0;
  }
}
