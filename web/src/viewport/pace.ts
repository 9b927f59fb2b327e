/** When pictures are drawn: on demand, coarser while something moves, at full size when it rests. */

/** A frame slower than this, in milliseconds, makes moving pictures coarser. */
const SLOW = 70;
const COARSEST = 0.35;
const SETTLE = 220;

export class Pace {
  #coarse = 1;
  #moving = false;
  #asked = false;
  #drawing = false;
  #again = false;
  #settleTimer: ReturnType<typeof setTimeout> | undefined;
  #gone = false;

  constructor(
    private readonly gl: WebGL2RenderingContext,
    /** Draw at a share of the full size; false when there is nothing to draw yet. */
    private readonly draw: (detail: number) => boolean,
    /** A picture is on the screen. settled: at full size, and no other is asked for. */
    private readonly onDrawn: (settled: boolean) => void,
  ) {}

  /** Draw soon. moving: more will follow, so a coarser picture will do on a slow machine. */
  invalidate(moving = false): void {
    if (moving) this.#moving = true;
    if (this.#drawing) {
      this.#again = true;
      return;
    }
    if (this.#asked || this.#gone) return;
    this.#asked = true;
    requestAnimationFrame(() => this.#now());
  }

  #now(): void {
    this.#asked = false;
    if (this.#gone) return;
    const detail = this.#moving ? this.#coarse : 1;
    const began = performance.now();
    if (!this.draw(detail)) return;
    this.#drawing = true;
    const { gl } = this;
    const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0)!;
    gl.flush();
    const wait = () => {
      const state = gl.clientWaitSync(fence, 0, 0);
      if (state === gl.TIMEOUT_EXPIRED && !this.#gone) {
        setTimeout(wait, 1);
        return;
      }
      gl.deleteSync(fence);
      this.#drawn(performance.now() - began, detail < 1);
    };
    setTimeout(wait, 0);
  }

  #drawn(took: number, wasCoarse: boolean): void {
    this.#drawing = false;
    if (this.#moving) {
      const aim = Math.sqrt(SLOW / Math.max(took, 1)) * this.#coarse;
      this.#coarse = Math.min(1, Math.max(COARSEST, took > SLOW ? aim : this.#coarse * 1.15));
    }
    const again = this.#again;
    this.#again = false;
    this.onDrawn(!again && !wasCoarse);
    clearTimeout(this.#settleTimer);
    if (again) this.invalidate(this.#moving);
    else if (this.#moving || wasCoarse) {
      this.#settleTimer = setTimeout(() => {
        this.#moving = false;
        if (wasCoarse) this.invalidate();
      }, SETTLE);
    }
  }

  stop(): void {
    this.#gone = true;
    clearTimeout(this.#settleTimer);
  }
}
