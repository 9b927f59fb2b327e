/**
 * The brush ring: lies on the surface, is drawn on a canvas above it.
 *
 * Drawn apart from the scene, so that moving the pointer does not render the scene anew.
 */

import { Vector3, type Camera } from "three";

import type { Hit, Picking } from "./picking";

const OUTER = 56;
const INNER = 32;

export interface Ring {
  radius: number;
  /** Where the falloff is a half, as a fraction of the radius. */
  halfway: number;
  /** The ring of the brush; without it, a dot where the tool would act. */
  shown: boolean;
  lowering: boolean;
  refused: boolean;
}

/**
 * Heights around the ring without notches: where the surface ends or steps, the line goes over it evenly.
 * null: nothing lies there; taken from what lies beside. Closed: the last neighbours the first.
 */
export function smoothRing(heights: (number | null)[]): number[] {
  const count = heights.length;
  const known = heights.flatMap((height, i) => (height === null ? [] : [i]));
  if (known.length === 0) return heights.map(() => 0);
  let out = heights.map((height, i) => {
    if (height !== null) return height;
    const before = known.findLast((k) => k < i) ?? known.at(-1)! - count;
    const after = known.find((k) => k > i) ?? known[0]! + count;
    const share = (i - before) / (after - before);
    return heights[(before + count) % count]! * (1 - share) + heights[after % count]! * share;
  });
  // A lone spike goes first, then what is left of a step is spread.
  const at = (i: number) => out[(i + count) % count]!;
  out = out.map((_, i) => [at(i - 1), at(i), at(i + 1)].sort((a, b) => a - b)[1]!);
  for (let pass = 0; pass < 4; pass++) out = out.map((h, i) => (at(i - 1) + 2 * h + at(i + 1)) / 4);
  return out;
}

export class RingOverlay {
  readonly #context: CanvasRenderingContext2D;
  #width = 1;
  #height = 1;
  #share = 1;

  constructor(private readonly canvas: HTMLCanvasElement) {
    // Kept in main memory: a few lines need no graphics card, and beside a busy WebGL canvas
    // Chromium 156 now and then ignored clearRect on an accelerated one, leaving a ring behind.
    this.#context = canvas.getContext("2d", { willReadFrequently: true })!;
  }

  resize(width: number, height: number): void {
    this.#width = width;
    this.#height = height;
    this.canvas.width = Math.round(width * devicePixelRatio);
    this.canvas.height = Math.round(height * devicePixelRatio);
  }

  /** Side by side, the picture that is painted takes a share of the width. */
  set share(share: number) {
    this.#share = share;
  }

  /** A line between two places on the screen. */
  line(from: { x: number; y: number }, to: { x: number; y: number }): void {
    this.outline([from, to]);
  }

  /** An outline being drawn. */
  outline(points: { x: number; y: number }[]): void {
    this.clear();
    const c = this.#context;
    c.save();
    c.scale(devicePixelRatio, devicePixelRatio);
    for (const [width, style] of [
      [3.2, "rgba(0,0,0,0.45)"],
      [1.5, "#ffffff"],
    ] as const) {
      c.lineWidth = width;
      c.strokeStyle = style;
      c.setLineDash([]);
      c.beginPath();
      points.forEach((p, i) => (i === 0 ? c.moveTo(p.x, p.y) : c.lineTo(p.x, p.y)));
      if (points.length > 2) c.closePath();
      c.stroke();
    }
    c.restore();
  }

  /** A way through places, open at its end, with a dot at each. */
  path(points: { x: number; y: number }[], picked: number): void {
    this.clear();
    const c = this.#context;
    c.save();
    c.scale(devicePixelRatio, devicePixelRatio);
    for (const [width, style] of [
      [3.2, "rgba(0,0,0,0.45)"],
      [1.5, "#ffffff"],
    ] as const) {
      c.lineWidth = width;
      c.strokeStyle = style;
      c.setLineDash([]);
      c.beginPath();
      points.forEach((p, i) => (i === 0 ? c.moveTo(p.x, p.y) : c.lineTo(p.x, p.y)));
      c.stroke();
    }
    for (const { x, y } of points.slice(0, picked)) this.#dot(x, y);
    c.restore();
  }

  #dot(x: number, y: number): void {
    const c = this.#context;
    c.beginPath();
    c.arc(x, y, 4, 0, 2 * Math.PI);
    c.fillStyle = "#ffffff";
    c.strokeStyle = "rgba(0,0,0,0.6)";
    c.fill();
    c.stroke();
  }

  clear(): void {
    this.#context.clearRect(0, 0, this.canvas.width, this.canvas.height);
  }

  draw(hit: Hit, ring: Ring, picker: Picking, camera: Camera): void {
    this.clear();
    const c = this.#context;
    c.save();
    c.scale(devicePixelRatio, devicePixelRatio);
    if (!ring.shown) {
      const at = hit.position.clone().project(camera);
      this.#dot(((at.x + 1) / 2) * this.#width * this.#share, ((1 - at.y) / 2) * this.#height);
      c.restore();
      return;
    }
    const outer = this.#circle(hit, ring.radius, OUTER, picker, camera);
    const inner = this.#circle(hit, ring.radius * ring.halfway, INNER, picker, camera);
    // Dark below light: visible on any material.
    for (const [width, style] of [
      [3.2, "rgba(0,0,0,0.45)"],
      [1.5, ring.refused ? "#e0a63d" : "#ffffff"],
    ] as const) {
      c.lineWidth = width;
      c.strokeStyle = style;
      c.setLineDash(ring.lowering ? [9, 4] : []);
      this.#path(outer);
      c.setLineDash([3, 4]);
      c.lineWidth = width * 0.7;
      this.#path(inner);
    }
    c.restore();
  }

  #circle(hit: Hit, radius: number, count: number, picker: Picking, camera: Camera): Vector3[] {
    const side = new Vector3(0, 1, 0).cross(hit.normal);
    if (side.lengthSq() < 1e-6) side.set(1, 0, 0);
    side.normalize();
    const other = hit.normal.clone().cross(side);
    const places: Vector3[] = [];
    const heights: (number | null)[] = [];
    for (let i = 0; i < count; i++) {
      const angle = (2 * Math.PI * i) / count;
      const place = hit.position
        .clone()
        .addScaledVector(side, radius * Math.cos(angle))
        .addScaledVector(other, radius * Math.sin(angle));
      const lying = picker.drop(place, hit.normal, radius);
      places.push(place);
      heights.push(lying && lying.sub(place).dot(hit.normal));
    }
    const lifted = smoothRing(heights);
    return places.map((place, i) => place.addScaledVector(hit.normal, lifted[i]!).project(camera));
  }

  #path(points: Vector3[]): void {
    const c = this.#context;
    c.beginPath();
    points.forEach((p, i) => {
      const x = ((p.x + 1) / 2) * this.#width * this.#share;
      const y = ((1 - p.y) / 2) * this.#height;
      if (i === 0) c.moveTo(x, y);
      else c.lineTo(x, y);
    });
    c.closePath();
    c.stroke();
  }
}
