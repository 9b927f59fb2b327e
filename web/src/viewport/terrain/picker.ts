/** Where a ray meets a terrain: down through ever smaller squares whose box it crosses, the nearest first. */

import { Ray, Raycaster, Triangle, Vector2, Vector3, type Camera } from "three";

import type { Hit, Picking } from "../picking";
import { BLOCK } from "./bounds";
import type { TerrainGround } from "./ground";

export class TerrainPicker implements Picking {
  hidden: { first: number; count: number }[] = [];
  readonly #raycaster = new Raycaster();
  /** In columns and rows. */
  readonly #ray = new Ray();
  readonly #triangle = new Triangle();
  readonly #met = new Vector3();

  constructor(
    private readonly ground: TerrainGround,
    private readonly onReady: () => void,
  ) {}

  prepare(): void {
    this.onReady();
  }

  readonly ready = true;

  hit(at: Vector2, camera: Camera): Hit | null {
    if (this.hidden.length) return null;
    this.#raycaster.setFromCamera(at, camera);
    return this.#cast(this.#raycaster.ray, Infinity);
  }

  drop(place: Vector3, up: Vector3, above: number): Vector3 | null {
    const ray = new Ray(place.clone().addScaledVector(up, above), up.clone().negate());
    return this.#cast(ray, 2 * above)?.position ?? null;
  }

  dispose(): void {}

  /** In columns, rows and metres of the world, where cells are one wide. */
  #cast(ray: Ray, far: number): Hit | null {
    const { ground } = this;
    const { spacing, origin } = ground;
    const [midX, midZ] = [(ground.cols - 1) / 2, (ground.rows - 1) / 2];
    const o = [
      (ray.origin.x + origin.x) / spacing + midX,
      ray.origin.y + origin.y,
      (ray.origin.z + origin.z) / spacing + midZ,
    ] as const;
    const d = [ray.direction.x / spacing, ray.direction.y, ray.direction.z / spacing] as const;
    const top = ground.bounds.levels.length - 1;
    const found = this.#down(o, d, far, top, 0, 0);
    if (!found) return null;
    const { t, column, row, normal } = found;
    const position = ray.at(t, new Vector3());
    if (normal.dot(ray.direction) > 0) normal.negate();
    return { position, normal, ...ground.named(column / (ground.cols - 1), row / (ground.rows - 1)) };
  }

  /** Where along the ray a box is entered; null where it is missed. */
  #enters(
    o: readonly number[],
    d: readonly number[],
    far: number,
    low: number[],
    high: number[],
  ): number | null {
    let [enter, leave] = [0, far];
    for (let axis = 0; axis < 3; axis++) {
      const a = (low[axis]! - o[axis]!) / d[axis]!;
      const b = (high[axis]! - o[axis]!) / d[axis]!;
      if (Number.isNaN(a) || Number.isNaN(b)) continue;
      enter = Math.max(enter, Math.min(a, b));
      leave = Math.min(leave, Math.max(a, b));
    }
    return enter <= leave + 1e-6 * Math.abs(leave) ? enter : null;
  }

  #down(
    o: readonly [number, number, number],
    d: readonly [number, number, number],
    far: number,
    level: number,
    x: number,
    y: number,
  ): Met | null {
    const { ground } = this;
    if (level < 0) return this.#inBlock(o, d, far, x, y);
    const children: { enter: number; x: number; y: number }[] = [];
    const last = level === 0;
    const edge = BLOCK << level;
    // The children of a square of the lowest level are its cells; there the square itself is asked.
    const [from, to] = last ? [level, 1] : [level - 1, 4];
    for (let k = 0; k < to; k++) {
      const [i, j] = last ? [x, y] : [2 * x + (k & 1), 2 * y + (k >> 1)];
      const bounds = ground.bounds.of(from, i, j);
      if (!bounds) continue;
      const size = last ? edge : edge / 2;
      const enter = this.#enters(
        o,
        d,
        far,
        [i * size, bounds[0], j * size],
        [(i + 1) * size, bounds[1], (j + 1) * size],
      );
      if (enter !== null) children.push({ enter, x: i, y: j });
    }
    children.sort((a, b) => a.enter - b.enter);
    for (const child of children) {
      const met = this.#down(o, d, far, level - 1, child.x, child.y);
      if (met) return met;
    }
    return null;
  }

  #inBlock(o: readonly number[], d: readonly number[], far: number, x: number, y: number): Met | null {
    const { ground } = this;
    this.#ray.origin.set(o[0]!, o[1]!, o[2]!);
    const direction = new Vector3(d[0], d[1], d[2]);
    const scale = direction.length();
    this.#ray.direction.copy(direction).divideScalar(scale);
    let best: Met | null = null;
    const at = (c: number, r: number) => new Vector3(c, ground.heights[r * ground.cols + c]!, r);
    for (let r = y * BLOCK; r < Math.min((y + 1) * BLOCK, ground.rows - 1); r++) {
      for (let c = x * BLOCK; c < Math.min((x + 1) * BLOCK, ground.cols - 1); c++) {
        const [a, b, e, f] = [at(c, r), at(c + 1, r), at(c, r + 1), at(c + 1, r + 1)];
        for (const [p, q, s] of [
          [a, e, b],
          [b, e, f],
        ] as const) {
          const met = this.#ray.intersectTriangle(p, q, s, false, this.#met);
          if (!met) continue;
          const t = met.distanceTo(this.#ray.origin) / scale;
          if (t > far || (best && t >= best.t)) continue;
          this.#triangle.set(p, q, s).getNormal(direction);
          const { spacing } = ground;
          const normal = new Vector3(direction.x / spacing, direction.y, direction.z / spacing).normalize();
          best = { t, column: met.x, row: met.z, normal };
        }
      }
    }
    return best;
  }
}

interface Met {
  t: number;
  column: number;
  row: number;
  normal: Vector3;
}
