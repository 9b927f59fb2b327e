/**
 * What of a terrain is drawn how finely: squares of one grid, each twice as coarse as the next nearer ones.
 *
 * Ulrich (2002), "Rendering massive terrains using chunked level of detail control", SIGGRAPH course notes: a quadtree of
 * squares, each drawn when it is far enough away, with skirts that hide the cracks between unlike neighbours. The
 * outermost skirts go down to one level, and show the ground's thickness. Vertices carry columns and rows only; heights
 * come from the texture, so nothing is built anew when the ground is painted.
 */

import {
  Box3,
  BufferAttribute,
  Frustum,
  InstancedBufferAttribute,
  InstancedBufferGeometry,
  Matrix4,
  Vector3,
  type PerspectiveCamera,
} from "three";

import { BLOCK, type Bounds } from "./bounds";

/** Cells along the edge of a square, and how many of its edges away it may be drawn. */
const CELLS = 64;
const NEAR_ENOUGH = 1.7;
const MOST = 1024;
/** So many where all are alike: for shadows. */
const MOST_ALIKE = 256;

/** Corners of a square, and once more around it, lower: the skirt. */
function gridOf(): { corners: Float32Array; triangles: Uint32Array } {
  const across = CELLS + 3;
  const corners = new Float32Array(3 * across * across);
  for (let y = 0; y < across; y++) {
    for (let x = 0; x < across; x++) {
      const skirt = x === 0 || y === 0 || x === across - 1 || y === across - 1;
      const clamped = (at: number) => Math.min(CELLS, Math.max(0, at - 1));
      corners.set([clamped(x), clamped(y), +skirt], 3 * (y * across + x));
    }
  }
  const triangles: number[] = [];
  for (let y = 0; y < across - 1; y++) {
    for (let x = 0; x < across - 1; x++) {
      const a = y * across + x;
      const [b, c, d] = [a + 1, a + across, a + across + 1];
      triangles.push(a, c, b, b, c, d);
    }
  }
  return { corners, triangles: new Uint32Array(triangles) };
}

export class Chunks {
  readonly geometry = new InstancedBufferGeometry();
  readonly #chosen = new InstancedBufferAttribute(new Float32Array(3 * MOST), 3);
  readonly #frustum = new Frustum();
  readonly #box = new Box3();
  readonly #eye = new Vector3();
  #count = 0;
  #near = NEAR_ENOUGH;

  constructor(
    private readonly cols: number,
    private readonly rows: number,
    private readonly spacing: number,
    private readonly origin: Vector3,
  ) {
    const { corners, triangles } = gridOf();
    this.geometry.setAttribute("corner", new BufferAttribute(corners, 3));
    this.geometry.setAttribute("chunk", this.#chosen);
    this.geometry.setIndex(new BufferAttribute(triangles, 1));
    this.geometry.addGroup(0, triangles.length, 0);
    this.geometry.instanceCount = 0;
  }

  /** Choose squares for a camera. afar: how many times farther away it is than what it sees looks. */
  select(camera: PerspectiveCamera, bounds: Bounds, afar: number): void {
    this.#near = NEAR_ENOUGH * afar;
    this.#frustum.setFromProjectionMatrix(
      new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse),
    );
    this.#eye.copy(camera.position);
    this.#count = 0;
    // Levels of the bounds are halves of each other, too: squares are theirs.
    const finest = Math.log2(CELLS / BLOCK);
    this.#visit(bounds, Math.max(finest, bounds.levels.length - 1), finest, 0, 0);
    this.geometry.instanceCount = this.#count;
    this.#chosen.needsUpdate = true;
  }

  /** Choose squares over all of it, as fine as so few can be. */
  selectAll(): void {
    let edge = CELLS;
    while (Math.ceil((this.cols - 1) / edge) * Math.ceil((this.rows - 1) / edge) > MOST_ALIKE) edge *= 2;
    this.#count = 0;
    for (let top = 0; top < this.rows - 1; top += edge)
      for (let left = 0; left < this.cols - 1; left += edge)
        this.#chosen.setXYZ(this.#count++, left, top, edge / CELLS);
    this.geometry.instanceCount = this.#count;
    this.#chosen.needsUpdate = true;
  }

  #visit(bounds: Bounds, level: number, finest: number, x: number, y: number): void {
    const edge = BLOCK << level;
    const [left, top] = [x * edge, y * edge];
    if (left >= this.cols - 1 || top >= this.rows - 1) return;
    const found = bounds.of(Math.min(level, bounds.levels.length - 1), x, y);
    if (!found) return;
    const { spacing, origin } = this;
    const at = (count: number, column: number) => (Math.min(column, count - 1) - (count - 1) / 2) * spacing;
    this.#box.min.set(at(this.cols, left), found[0], at(this.rows, top)).sub(origin);
    this.#box.max.set(at(this.cols, left + edge), found[1], at(this.rows, top + edge)).sub(origin);
    if (!this.#frustum.intersectsBox(this.#box)) return;
    const far = this.#box.distanceToPoint(this.#eye);
    if (level > finest && far < this.#near * edge * spacing && this.#count < MOST - 4) {
      for (let k = 0; k < 4; k++) this.#visit(bounds, level - 1, finest, 2 * x + (k & 1), 2 * y + (k >> 1));
      return;
    }
    if (this.#count < MOST) this.#chosen.setXYZ(this.#count++, left, top, edge / CELLS);
  }

  dispose(): void {
    this.geometry.dispose();
  }
}
