/** A camera that turns around a target. It never reads the pointer itself: the viewport tells it. */

import { MathUtils, PerspectiveCamera, Sphere, Vector3 } from "three";

const LIMIT = Math.PI / 2 - 0.01;

export class Orbit {
  readonly camera = new PerspectiveCamera(38, 1, 0.01, 1000);
  readonly #target = new Vector3();
  #distance = 10;
  #turn = 0.62;
  #tilt = 0.42;
  #bounds = new Sphere(new Vector3(), 1);

  frame(bounds: Sphere): void {
    this.#bounds = bounds.clone();
    this.#target.copy(bounds.center);
    const half = MathUtils.degToRad(this.camera.fov / 2);
    const narrow = Math.atan(Math.tan(half) * Math.min(1, this.camera.aspect));
    this.#distance = (0.82 * bounds.radius) / Math.sin(narrow);
    this.#place();
  }

  resize(width: number, height: number): void {
    this.camera.aspect = width / height;
    this.#place();
  }

  /** dx, dy: fractions of the view's height. */
  turn(dx: number, dy: number): void {
    this.#turn -= dx * 3.2;
    this.#tilt = MathUtils.clamp(this.#tilt + dy * 3.2, -LIMIT, LIMIT);
    this.#place();
  }

  shift(dx: number, dy: number): void {
    const scale = 2 * this.#distance * Math.tan(MathUtils.degToRad(this.camera.fov / 2));
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
    this.camera.position.copy(this.#target).addScaledVector(away, this.#distance);
    this.camera.lookAt(this.#target);
    const reach = this.camera.position.distanceTo(this.#bounds.center);
    this.camera.far = reach + this.#bounds.radius * 1.5;
    this.camera.near = Math.max(this.camera.far / 20_000, (reach - this.#bounds.radius) * 0.5, 1e-4);
    this.camera.updateProjectionMatrix();
    this.camera.updateMatrixWorld();
  }
}
