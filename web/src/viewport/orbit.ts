/** A camera that turns around a target. It never reads the pointer itself: the viewport tells it. */

import { Box3, MathUtils, PerspectiveCamera, Sphere, Vector3 } from "three";

import type { Stand } from "../state/types";

const LIMIT = Math.PI / 2 - 0.01;

/** Without perspective one looks from so far away that no more than so many degrees are in view: no line leans visibly. */
const STRAIGHT = 0.5;

const tall = (view: number) => Math.tan(MathUtils.degToRad(view / 2));

/** How far the ground is seen, in radii of what stands on it. */
const GROUND = 15;

/** Directions to look from, in radians. */
export interface Direction {
  turn: number;
  tilt: number;
  /** It is that of an axis. */
  along?: boolean;
}
export const FIRST: Direction = { turn: 0.62, tilt: 0.42 };
export const FRONT: Direction = { turn: 0, tilt: 0, along: true };
export const SIDE: Direction = { turn: Math.PI / 2, tilt: 0, along: true };
export const TOP: Direction = { turn: 0, tilt: LIMIT, along: true };

export class Orbit {
  readonly camera = new PerspectiveCamera(38, 1, 0.01, 1000);
  readonly #target = new Vector3();
  #distance = 10;
  #view = 38;
  #straight = false;
  /** It looks along an axis, as it was asked to. */
  #along = false;
  #turn = FIRST.turn;
  #tilt = FIRST.tilt;
  #bounds = new Sphere(new Vector3(), 1);
  /** The ground that it stands on is seen, too. */
  onGround = false;
  /** What stands around it. */
  #around: Sphere[] = [];

  /** Show all of some places (x, y, z one after another) from the present direction, with a little room. */
  frame(places: ArrayLike<number>): void {
    const box = new Box3().setFromArray(places as number[]);
    box.getBoundingSphere(this.#bounds);
    this.#target.copy(this.#bounds.center);
    this.#distance = this.#bounds.radius * 3;
    this.#place();
    // Each place must lie inside both pairs of side planes; the farthest-out one decides.
    const inverse = this.camera.matrixWorld.clone().invert();
    const place = new Vector3();
    const high = tall(this.#view);
    const eye = this.#distance * this.afar;
    let needed = 0;
    const stride = 3 * Math.ceil(places.length / 3 / 4000);
    for (let i = 0; i < places.length; i += stride) {
      place.fromArray(places as number[], i).applyMatrix4(inverse);
      const out = Math.max(Math.abs(place.x) / this.camera.aspect, Math.abs(place.y)) / high;
      needed = Math.max(needed, out + (this.#straight ? 0 : place.z + eye));
    }
    this.#distance = Math.max(needed * 1.03, this.#bounds.radius * 0.05);
    this.#place();
  }

  /** Let these be in sight, too, without being what is framed. */
  reachTo(around: Sphere[]): void {
    this.#around = around;
    this.#place();
  }

  /** Go near to what lies in a sphere. */
  visit({ center, radius }: Sphere): void {
    this.#target.copy(center);
    this.#distance = radius * 2.8;
    this.#place();
  }

  /** Look at the same place of the world when places are counted from another origin. */
  recount(from: Vector3, to: Vector3): void {
    const by = from.clone().sub(to);
    this.#target.add(by);
    this.#bounds.center.add(by);
    this.#place();
  }

  resize(width: number, height: number): void {
    this.camera.aspect = width / height;
    this.#place();
  }

  /** Draw something as wide for its height as is said; what is seen from top to bottom stays the same. */
  shapedAs(aspect: number, draw: () => void): void {
    const { camera } = this;
    const before = camera.aspect;
    camera.aspect = aspect;
    camera.updateProjectionMatrix();
    draw();
    camera.aspect = before;
    camera.updateProjectionMatrix();
  }

  /** dx, dy: fractions of the view's height. */
  turn(dx: number, dy: number): void {
    if (this.#along) this.#straight = this.#along = false;
    this.#turn -= dx * 3.2;
    this.#tilt = MathUtils.clamp(this.#tilt + dy * 3.2, -LIMIT, LIMIT);
    this.#place();
  }

  /** Where it is looked at from, in the scene's metres. */
  get stand(): Stand {
    return {
      target: this.#target.toArray(),
      distance: this.#distance,
      turn: this.#turn,
      tilt: this.#tilt,
      straight: this.#straight,
    };
  }

  set stand({ target, distance, turn, tilt, straight }: Stand) {
    this.#target.fromArray(target);
    this.#straight = straight ?? false;
    [this.#distance, this.#turn, this.#tilt] = [distance, turn, MathUtils.clamp(tilt, -LIMIT, LIMIT)];
    this.#place();
  }

  /** The field of view from top to bottom, in degrees. */
  opens(degrees: number): void {
    if (degrees === this.#view) return;
    // What is looked at stays as large.
    this.#distance *= tall(this.#view) / tall(degrees);
    this.#view = degrees;
    this.#place();
  }

  /** Look without perspective, or with it again. */
  set straight(straight: boolean) {
    this.#straight = straight;
    this.#place();
  }

  get straight(): boolean {
    return this.#straight;
  }

  /** How many times farther away the eye is than what it sees would look from. */
  get afar(): number {
    return this.#straight ? tall(this.#view) / tall(STRAIGHT) : 1;
  }

  /** Degrees that it is turned from looking at the far edge of the first view. */
  get turned(): number {
    return MathUtils.radToDeg(this.#turn);
  }

  /** Look from a direction; along an axis without perspective, until the view is turned. */
  from({ turn, tilt, along }: Direction): void {
    this.#turn = turn;
    this.#tilt = tilt;
    this.#straight = this.#along = along ?? false;
    this.#place();
  }

  shift(dx: number, dy: number): void {
    const scale = 2 * this.#distance * tall(this.#view);
    const right = new Vector3().setFromMatrixColumn(this.camera.matrix, 0);
    const up = new Vector3().setFromMatrixColumn(this.camera.matrix, 1);
    this.#target.addScaledVector(right, -dx * scale).addScaledVector(up, dy * scale);
    this.#place();
  }

  /** factor below one goes nearer. towards: what to keep under the cursor. */
  zoom(factor: number, towards: Vector3 | null): void {
    const next = MathUtils.clamp(
      this.#distance * factor,
      this.#bounds.radius * 0.01,
      this.#bounds.radius * 20,
    );
    const real = next / this.#distance;
    if (towards) this.#target.lerp(towards, 1 - real);
    this.#distance = next;
    this.#place();
  }

  #place(): void {
    const flat = Math.cos(this.#tilt);
    const away = new Vector3(flat * Math.sin(this.#turn), Math.sin(this.#tilt), flat * Math.cos(this.#turn));
    this.camera.fov = this.#straight ? STRAIGHT : this.#view;
    this.camera.position.copy(this.#target).addScaledVector(away, this.#distance * this.afar);
    this.camera.lookAt(this.#target);
    const all = this.#bounds.clone();
    for (const sphere of this.#around) all.union(sphere);
    const reach = this.camera.position.distanceTo(all.center);
    this.camera.far = reach + all.radius * (this.onGround ? GROUND : 1.5);
    this.camera.near = Math.max(this.camera.far / 20_000, (reach - all.radius) * 0.5, 1e-4);
    this.camera.updateProjectionMatrix();
    this.camera.updateMatrixWorld();
  }
}
