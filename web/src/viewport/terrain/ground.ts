/** A terrain in the viewport: its heights, as an array for rays and as a texture for the shaders. */

import {
  DataTexture,
  FloatType,
  LinearFilter,
  NearestFilter,
  RedFormat,
  UnsignedByteType,
  Vector2,
  Vector3,
  type IUniform,
  type PerspectiveCamera,
} from "three";

import type { HeightsPart } from "../../state/frames";
import type { TerrainHead } from "../geometry";
import { RowMarks } from "../rowMarks";
import { Bounds } from "./bounds";
import { Chunks } from "./chunks";

/** Metres of ground below the lowest height that its cut edge shows, as a share of the width. */
const THICKNESS = 0.02;

export class TerrainGround {
  readonly heights: Float32Array;
  readonly bounds: Bounds;
  readonly chunks: Chunks;
  /** Uniforms of the shaders that draw it. */
  readonly uniforms: Record<string, IUniform>;
  readonly glsl: string;
  readonly cols: number;
  readonly rows: number;
  readonly spacing: number;
  readonly #texture: DataTexture;
  readonly #marks: RowMarks;
  /** What was painted before the heights that came in were here. */
  #early: HeightsPart[] | null = [];

  /** frame: heights of the coarse mesh, to begin with. */
  constructor(
    readonly head: TerrainHead,
    frame: ArrayLike<number>,
    readonly origin: Vector3,
  ) {
    const { rows, cols, spacing } = head;
    [this.rows, this.cols, this.spacing, this.glsl] = [rows, cols, spacing, head.glsl];
    this.heights = coarse(head, frame, origin.y);
    this.bounds = new Bounds(this.heights, cols, rows);
    this.chunks = new Chunks(cols, rows, spacing, origin);
    this.#texture = new DataTexture(this.heights, cols, rows, RedFormat, FloatType);
    this.#texture.internalFormat = "R32F";
    this.#texture.magFilter = this.#texture.minFilter = NearestFilter;
    this.#texture.unpackAlignment = 1;
    this.#texture.needsUpdate = true;
    this.#marks = new RowMarks(this.#texture, cols, rows, 1);
    this.uniforms = {
      heights: { value: this.#texture },
      spread: { value: new Vector3(spacing, (cols - 1) * spacing, (rows - 1) * spacing) },
      counted: { value: origin },
      floor_height: { value: 0 },
      closed_over: { value: new DataTexture(new Uint8Array([0]), 1, 1, RedFormat, UnsignedByteType) },
      closed_size: { value: new Vector2(1, 1) },
    };
    (this.uniforms["closed_over"]!.value as DataTexture).needsUpdate = true;
    this.#settle();
  }

  #settle(): void {
    const [low] = this.bounds.of(this.bounds.levels.length - 1, 0, 0)!;
    this.uniforms["floor_height"]!.value = low - THICKNESS * Math.max(this.cols, this.rows) * this.spacing;
  }

  /** The heights that came in are here: from coarse to sharp. */
  load(heights: Float32Array): void {
    this.heights.set(heights);
    this.bounds.refresh(0, 0, this.cols, this.rows);
    this.#settle();
    this.#marks.all();
    const early = this.#early ?? [];
    this.#early = null;
    for (const part of early) this.apply(part);
  }

  get sharp(): boolean {
    return this.#early === null;
  }

  apply(part: HeightsPart): void {
    if (this.#early) {
      this.#early.push(part);
      return;
    }
    for (let r = 0; r < part.rows; r++) {
      const row = part.heights.subarray(r * part.cols, (r + 1) * part.cols);
      this.heights.set(row, (part.top + r) * this.cols + part.left);
      this.#marks.mark(part.top + r, part.left, part.cols);
    }
    this.#marks.upload();
    this.bounds.refresh(part.left, part.top, part.cols, part.rows);
    this.#settle();
  }

  /** afar: how many times farther away the eye is than what it sees looks. */
  select(camera: PerspectiveCamera, afar: number): void {
    this.chunks.select(camera, this.bounds, afar);
  }

  /** Metres in the scene of the ground's height nearest to a place of it. */
  heightAt(x: number, z: number): number {
    const at = (value: number, count: number) =>
      Math.min(count - 1, Math.max(0, Math.round(value / this.spacing + (count - 1) / 2)));
    const [col, row] = [at(x + this.origin.x, this.cols), at(z + this.origin.z, this.rows)];
    return this.heights[row * this.cols + col]! - this.origin.y;
  }

  /** Draw all of it alike, for whoever sees it from far away. */
  selectAll(): void {
    this.chunks.selectAll();
  }

  /** How much of the sky the ground hides from places evenly over it, in 255ths. */
  shade(values: Uint8Array<ArrayBuffer>, cols: number, rows: number): void {
    const texture = new DataTexture(values, cols, rows, RedFormat, UnsignedByteType);
    texture.magFilter = texture.minFilter = LinearFilter;
    texture.unpackAlignment = 1;
    texture.needsUpdate = true;
    (this.uniforms["closed_over"]!.value as DataTexture).dispose();
    this.uniforms["closed_over"]!.value = texture;
    (this.uniforms["closed_size"]!.value as Vector2).set(cols, rows);
  }

  /** The triangle of the coarse mesh, and the shares of its corners, that name a place over the whole, 0..1. */
  named(u: number, v: number): { triangle: number; barycentric: [number, number, number] } {
    const [across, down] = [this.head.frame_cols - 1, this.head.frame_rows - 1];
    const [x, y] = [u * across, v * down];
    const col = Math.min(Math.max(Math.floor(x), 0), across - 1);
    const row = Math.min(Math.max(Math.floor(y), 0), down - 1);
    const [f, g] = [x - col, y - row];
    const first = 2 * (row * across + col);
    return f + g > 1
      ? { triangle: first + 1, barycentric: [1 - g, 1 - f, f + g - 1] }
      : { triangle: first, barycentric: [1 - f - g, g, f] };
  }

  dispose(): void {
    this.#texture.dispose();
    (this.uniforms["closed_over"]!.value as DataTexture).dispose();
    this.chunks.dispose();
  }
}

/** Heights between those of the coarse mesh's vertices (x, y, z one after another), for a first picture. */
function coarse(head: TerrainHead, frame: ArrayLike<number>, above: number): Float32Array {
  const { rows, cols, frame_rows, frame_cols } = head;
  const out = new Float32Array(rows * cols);
  for (let r = 0; r < rows; r++) {
    const y = (r / (rows - 1)) * (frame_rows - 1);
    const row = Math.min(Math.floor(y), frame_rows - 2);
    const g = y - row;
    for (let c = 0; c < cols; c++) {
      const x = (c / (cols - 1)) * (frame_cols - 1);
      const col = Math.min(Math.floor(x), frame_cols - 2);
      const f = x - col;
      const at = 3 * (row * frame_cols + col) + 1;
      const near = frame[at]! * (1 - f) + frame[at + 3]! * f;
      const far = frame[at + 3 * frame_cols]! * (1 - f) + frame[at + 3 * frame_cols + 3]! * f;
      out[r * cols + c] = near * (1 - g) + far * g + above;
    }
  }
  return out;
}
