/** How places on the screen and in the world meet. */

import { Vector2, Vector3 } from "three";

import type { Orbit } from "./orbit";

export class Projection {
  /** Of the picture, in pixels. */
  readonly size = new Vector2(1, 1);
  /** Side by side, each half is a picture. */
  halved = false;

  /** origin: what the scene is counted from, in metres of the world. */
  constructor(
    private readonly origin: Vector3,
    private readonly orbit: Orbit,
  ) {}

  get #width(): number {
    return this.halved ? this.size.x / 2 : this.size.x;
  }

  resize(width: number, height: number): void {
    this.size.set(width, height);
    this.fit();
  }

  /** Have the camera see what there is room for. */
  fit(): void {
    this.orbit.resize(this.#width, this.size.y);
  }

  /** From the scene's metres to the world's. */
  inWorld(place: Vector3): [number, number, number] {
    return [place.x + this.origin.x, place.y + this.origin.y, place.z + this.origin.z];
  }

  /** And back. */
  inScene([x, y, z]: [number, number, number]): Vector3 {
    return new Vector3(x, y, z).sub(this.origin);
  }

  /** From pixels to the camera's normalised coordinates. */
  toNormalised(x: number, y: number): Vector2 {
    const width = this.#width;
    return new Vector2(((x % width) / width) * 2 - 1, 1 - (y / this.size.y) * 2);
  }

  /** Where a place is on the screen, in the first picture. */
  toPixels(place: Vector3): { x: number; y: number } {
    const at = place.clone().project(this.orbit.camera);
    return { x: ((at.x + 1) / 2) * this.#width, y: ((1 - at.y) / 2) * this.size.y };
  }

  /** Rows of the matrix from the world to homogeneous view coordinates whose height is one. */
  viewRows(): number[] {
    const { camera } = this.orbit;
    const m = camera.projectionMatrix.clone().multiply(camera.matrixWorldInverse).elements;
    const { x, y, z } = this.origin;
    const row = (r: number, scale: number) => {
      const [a, b, c, d] = [0, 1, 2, 3].map((column) => m[4 * column + r]! * scale);
      return [a!, b!, c!, d! - a! * x - b! * y - c! * z];
    };
    return [...row(0, camera.aspect / 2), ...row(1, 0.5), ...row(3, 1)];
  }
}
