/** Which columns of each row of a texture changed since it was last uploaded, so that only those go up. */

import type { DataTexture } from "three";

export class RowMarks {
  /** Of each row: from low to before high. */
  readonly #low: Uint32Array;
  readonly #high: Uint32Array;
  #all = true;

  /** width: of each texel, in numbers. */
  constructor(
    private readonly texture: DataTexture,
    private readonly cols: number,
    rows: number,
    private readonly width: number,
  ) {
    this.#low = new Uint32Array(rows).fill(cols);
    this.#high = new Uint32Array(rows);
    texture.onUpdate = () => {
      this.#low.fill(cols);
      this.#high.fill(0);
      this.#all = false;
    };
  }

  mark(row: number, column: number, count: number): void {
    if (column < this.#low[row]!) this.#low[row] = column;
    if (column + count > this.#high[row]!) this.#high[row] = column + count;
  }

  /** Everything is another. */
  all(): void {
    this.#all = true;
    this.upload();
  }

  /** Have what is marked uploaded with the next picture. */
  upload(): void {
    this.texture.clearUpdateRanges();
    if (!this.#all) {
      this.#low.forEach((low, row) => {
        const high = this.#high[row]!;
        if (low < high)
          this.texture.addUpdateRange(this.width * (row * this.cols + low), this.width * (high - low));
      });
    }
    this.texture.needsUpdate = true;
  }
}
