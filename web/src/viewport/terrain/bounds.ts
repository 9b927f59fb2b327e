/** Lowest and highest heights of squares of a terrain, and of ever larger squares: what a ray or an eye can skip. */

/** Cells along the edge of the smallest squares. */
export const BLOCK = 8;

interface Level {
  cols: number;
  rows: number;
  low: Float32Array;
  high: Float32Array;
}

export class Bounds {
  readonly levels: Level[] = [];

  constructor(
    private readonly heights: Float32Array,
    private readonly cols: number,
    private readonly rows: number,
  ) {
    let [across, down] = [Math.ceil((cols - 1) / BLOCK), Math.ceil((rows - 1) / BLOCK)];
    for (;;) {
      const count = across * down;
      this.levels.push({
        cols: across,
        rows: down,
        low: new Float32Array(count),
        high: new Float32Array(count),
      });
      if (across === 1 && down === 1) break;
      [across, down] = [Math.ceil(across / 2), Math.ceil(down / 2)];
    }
    this.refresh(0, 0, cols, rows);
  }

  /** After heights changed in a part. */
  refresh(left: number, top: number, cols: number, rows: number): void {
    const first = this.levels[0]!;
    let [x0, y0] = [Math.max(0, Math.floor((left - 1) / BLOCK)), Math.max(0, Math.floor((top - 1) / BLOCK))];
    let x1 = Math.min(first.cols - 1, Math.floor((left + cols - 1) / BLOCK));
    let y1 = Math.min(first.rows - 1, Math.floor((top + rows - 1) / BLOCK));
    for (let y = y0; y <= y1; y++) for (let x = x0; x <= x1; x++) this.#measure(x, y);
    for (let n = 1; n < this.levels.length; n++) {
      [x0, y0, x1, y1] = [x0 >> 1, y0 >> 1, x1 >> 1, y1 >> 1];
      for (let y = y0; y <= y1; y++) for (let x = x0; x <= x1; x++) this.#gather(n, x, y);
    }
  }

  #measure(x: number, y: number): void {
    let [low, high] = [Infinity, -Infinity];
    const right = Math.min(this.cols - 1, (x + 1) * BLOCK);
    const bottom = Math.min(this.rows - 1, (y + 1) * BLOCK);
    for (let r = y * BLOCK; r <= bottom; r++) {
      for (let c = x * BLOCK; c <= right; c++) {
        const height = this.heights[r * this.cols + c]!;
        if (height < low) low = height;
        if (height > high) high = height;
      }
    }
    const level = this.levels[0]!;
    level.low[y * level.cols + x] = low;
    level.high[y * level.cols + x] = high;
  }

  #gather(n: number, x: number, y: number): void {
    const [below, level] = [this.levels[n - 1]!, this.levels[n]!];
    let [low, high] = [Infinity, -Infinity];
    for (let j = 2 * y; j < Math.min(2 * y + 2, below.rows); j++) {
      for (let i = 2 * x; i < Math.min(2 * x + 2, below.cols); i++) {
        low = Math.min(low, below.low[j * below.cols + i]!);
        high = Math.max(high, below.high[j * below.cols + i]!);
      }
    }
    level.low[y * level.cols + x] = low;
    level.high[y * level.cols + x] = high;
  }

  /** Lowest and highest of a square of a level; null outside. */
  of(n: number, x: number, y: number): [number, number] | null {
    const level = this.levels[n]!;
    if (x >= level.cols || y >= level.rows) return null;
    return [level.low[y * level.cols + x]!, level.high[y * level.cols + x]!];
  }
}
