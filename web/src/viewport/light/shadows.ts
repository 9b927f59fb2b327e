/** The map of what the key light reaches first, drawn anew when the light or what stands in it changes. */

import {
  DepthTexture,
  FloatType,
  Matrix4,
  MathUtils,
  NearestFilter,
  OrthographicCamera,
  PerspectiveCamera,
  RedFormat,
  Sphere,
  Vector3,
  WebGLRenderTarget,
  type Camera,
  type WebGLRenderer,
} from "three";

import type { Illumination } from "./illumination";

/** Texels across: at rest, and while the light moves. */
const FINE = 2048;
const COARSE = 1024;
/** Samples for each of a shadow's two questions: at rest, and while anything moves. */
const SAMPLES = 16;
const FEW = 6;
/** What stands around is in the map as far as so many radii of the surface. */
const AROUND = 4;

function target(size: number): WebGLRenderTarget {
  const depth = new DepthTexture(size, size, FloatType);
  depth.minFilter = depth.magFilter = NearestFilter;
  return new WebGLRenderTarget(size, size, {
    format: RedFormat,
    minFilter: NearestFilter,
    magFilter: NearestFilter,
    depthTexture: depth,
  });
}

export class Shadows {
  #target: WebGLRenderTarget | null = null;
  readonly #sun = new OrthographicCamera();
  readonly #lamp = new PerspectiveCamera();
  /** What the map was drawn for, and whether things have changed since. */
  #drawn = "";
  #stale = true;

  constructor(
    private readonly renderer: WebGLRenderer,
    private readonly light: Illumination,
  ) {}

  /** What hides something has changed. */
  mark(): void {
    this.#stale = true;
  }

  /** How carefully shadows are looked up. */
  sample(moving: boolean): void {
    const light = this.light.document;
    const thrown = light?.shadows && this.#drawn !== "";
    this.light.all.shadow_reach.value.w = thrown ? (moving ? FEW : SAMPLES) : 0;
  }

  /**
   * Draw the map if there is a need to; whether it was drawn. whole: what it must hold; own: the surface alone.
   * moving: a coarse one will do, and what was only painted can wait. cast: draws everything that hides something.
   */
  draw(whole: Sphere, own: Sphere, moving: boolean, cast: (camera: Camera) => void): boolean {
    const light = this.light.document;
    if (!light?.shadows || !this.light.known || this.light.all.key.value.lengthSq() === 0) {
      this.#drawn = "";
      return false;
    }
    const bounds = this.#reach(whole, own);
    const { x, y, z } = this.light.direction;
    const place = [
      x,
      y,
      z,
      ...bounds.center.toArray(),
      bounds.radius,
      own.radius,
      +this.light.near,
      light.angle,
    ];
    const key = place.map((number) => number.toPrecision(6)).join();
    const size = moving ? COARSE : FINE;
    const same = key === this.#drawn && (this.#target?.width ?? 0) >= size;
    if (same && (!this.#stale || moving)) return false;
    if (this.#target?.width !== size) {
      this.#target?.depthTexture?.dispose();
      this.#target?.dispose();
      this.#target = target(size);
    }
    const camera = this.light.near ? this.#asLamp(own, bounds) : this.#asSun(bounds, size);
    this.renderer.setRenderTarget(this.#target);
    this.renderer.clear();
    cast(camera);
    this.renderer.setRenderTarget(null);
    this.light.toShadow.copy(camera.projectionMatrix).multiply(camera.matrixWorldInverse);
    const { all } = this.light;
    all.shadow_depth.value = this.#target!.depthTexture;
    all.shadow_grain.value.x = 1 / size;
    this.#drawn = key;
    this.#stale = false;
    return true;
  }

  #reach(whole: Sphere, own: Sphere): Sphere {
    return whole.radius <= AROUND * own.radius ? whole : new Sphere(own.center, AROUND * own.radius);
  }

  /** The map's texels stay where they are on the ground as long as the light does. */
  #asSun(bounds: Sphere, size: number): Camera {
    const camera = this.#sun;
    const { radius, center } = bounds;
    const half = radius * (1 + 4 / size);
    camera.left = camera.bottom = -half;
    camera.right = camera.top = half;
    camera.near = 0;
    camera.far = 2 * radius * 1.01;
    camera.position.copy(center).addScaledVector(this.light.direction, radius * 1.005);
    this.#look(camera, center);
    const { all, document } = this.light;
    const soft = Math.tan(MathUtils.degToRad(document!.angle / 2));
    all.shadow_reach.value.set(2 * half, camera.far, soft, all.shadow_reach.value.w);
    all.shadow_grain.value.set(0, 0, 0);
    return camera;
  }

  #asLamp(own: Sphere, bounds: Sphere): Camera {
    const camera = this.#lamp;
    const { place, away } = this.light.lampFor(own.center, own.radius);
    camera.position.copy(place);
    camera.near = away / 100;
    camera.far = away + 2 * bounds.radius;
    camera.fov = 2 * MathUtils.radToDeg(Math.asin(Math.min(own.radius / away, 0.95)));
    camera.aspect = 1;
    this.#look(camera, own.center);
    const { all, document } = this.light;
    const size = away * Math.tan(MathUtils.degToRad(document!.angle / 2));
    const wide = 2 * Math.tan(MathUtils.degToRad(camera.fov / 2));
    all.shadow_reach.value.set(wide, 0, size, all.shadow_reach.value.w);
    all.shadow_grain.value.set(0, camera.near, camera.far);
    return camera;
  }

  #look(camera: OrthographicCamera | PerspectiveCamera, at: Vector3): void {
    camera.up.set(0, 1, 0);
    if (Math.abs(this.light.direction.y) > 0.999) camera.up.set(0, 0, -1);
    camera.lookAt(at);
    camera.updateProjectionMatrix();
    camera.updateMatrixWorld();
    camera.matrixWorldInverse = new Matrix4().copy(camera.matrixWorld).invert();
  }

  dispose(): void {
    this.#target?.depthTexture?.dispose();
    this.#target?.dispose();
  }
}
