/** Runs of triangles and what they lie in, so that a band of a picture sends only what may be seen in it. */

import type { BufferGeometry, Matrix4 } from "three";

/** Triangles of a run: neighbours in the index mostly are on the surface, too. */
const RUN = 1024;

/** A run of a geometry's index, in corners, and the number of its material. */
export interface Run {
  start: number;
  count: number;
  materialIndex: number;
}

export class Clusters {
  /** The triangles of the geometry, those near each other together; each of its runs keeps to itself. */
  readonly index: Uint32Array;
  /** Middle and radius of each run, one after another. */
  readonly #balls: Float32Array;

  /** runs: that triangles may not leave, in corners. */
  constructor(geometry: BufferGeometry, runs: readonly Run[]) {
    const places = geometry.attributes["position"]!.array;
    this.index = sorted(geometry, runs);
    const { index } = this;
    const count = Math.ceil(index.length / (3 * RUN));
    this.#balls = new Float32Array(4 * count);
    for (let run = 0; run < count; run++) {
      const low = [Infinity, Infinity, Infinity];
      const high = [-Infinity, -Infinity, -Infinity];
      const end = Math.min(index.length, 3 * RUN * (run + 1));
      for (let i = 3 * RUN * run; i < end; i++) {
        for (let axis = 0; axis < 3; axis++) {
          const at = places[3 * index[i]! + axis]!;
          if (at < low[axis]!) low[axis] = at;
          if (at > high[axis]!) high[axis] = at;
        }
      }
      const half = low.map((l, axis) => (high[axis]! - l) / 2);
      low.forEach((l, axis) => (this.#balls[4 * run + axis] = l + half[axis]!));
      this.#balls[4 * run + 3] = Math.hypot(...half);
    }
  }

  /**
   * What of some runs may be seen between two heights of the picture, −1 its foot and 1 its top.
   * matrix: from places to homogeneous coordinates of the picture.
   */
  between(runs: readonly Run[], matrix: Matrix4, low: number, high: number): Run[] {
    const m = matrix.elements;
    const row = (r: number) => [m[r]!, m[4 + r]!, m[8 + r]!, m[12 + r]!];
    const [y, w] = [row(1), row(3)];
    const above = plane(y.map((value, i) => value - low * w[i]!));
    const below = plane(y.map((value, i) => high * w[i]! - value));
    const out: Run[] = [];
    for (const { start, count, materialIndex } of runs) {
      const end = Math.min(start + count, this.index.length);
      for (let at = start; at < end;) {
        const run = Math.floor(at / (3 * RUN));
        const next = Math.min(end, 3 * RUN * (run + 1));
        if (this.#touches(above, run) && this.#touches(below, run)) {
          const last = out.at(-1);
          if (last && last.start + last.count === at && last.materialIndex === materialIndex)
            last.count = next - last.start;
          else out.push({ start: at, count: next - at, materialIndex });
        }
        at = next;
      }
    }
    return out;
  }

  #touches([a, b, c, d]: number[], run: number): boolean {
    const at = 4 * run;
    const balls = this.#balls;
    return a! * balls[at]! + b! * balls[at + 1]! + c! * balls[at + 2]! + d! >= -balls[at + 3]!;
  }
}

/** Cells along each edge of the box around a mesh: 2 to the power of this. */
const BITS = 5;

/** The index with triangles of one cell of space beside each other, and near cells mostly near (Morton 1966). */
function sorted(geometry: BufferGeometry, runs: readonly Run[]): Uint32Array {
  const index = geometry.index!.array;
  const places = geometry.attributes["position"]!.array;
  geometry.computeBoundingBox();
  const { min, max } = geometry.boundingBox!;
  const low = min.toArray();
  const scale = max.toArray().map((high, axis) => (2 ** BITS - 1) / Math.max(high - low[axis]!, 1e-20));
  const codes = new Uint16Array(index.length / 3);
  for (let t = 0; t < codes.length; t++) {
    let code = 0;
    for (let axis = 0; axis < 3; axis++) {
      let cell = Math.round((places[3 * index[3 * t]! + axis]! - low[axis]!) * scale[axis]!);
      for (let bit = axis; cell > 0; bit += 3, cell >>= 1) code |= (cell & 1) << bit;
    }
    codes[t] = code;
  }
  const out = new Uint32Array(index.length);
  for (const { start, count } of runs) {
    const [first, last] = [start / 3, Math.min(start + count, index.length) / 3];
    const ends = new Uint32Array(2 ** (3 * BITS) + 1);
    for (let t = first; t < last; t++) ends[codes[t]! + 1]!++;
    for (let code = 0; code + 1 < ends.length; code++) ends[code + 1]! += ends[code]!;
    for (let t = first; t < last; t++) {
      const at = 3 * (first + ends[codes[t]!]!++);
      for (let corner = 0; corner < 3; corner++) out[at + corner] = index[3 * t + corner]!;
    }
  }
  return out;
}

/** Of unit normal. */
function plane(rows: number[]): number[] {
  const length = Math.hypot(rows[0]!, rows[1]!, rows[2]!);
  return rows.map((value) => value / length);
}
