/** What a picture is made of: passes one after another, each a view of a scenery in a part of the picture. */

import {
  Scene,
  type Camera,
  type Matrix4,
  type Mesh,
  type Sphere,
  type Vector2,
  type WebGLRenderer,
} from "three";

import { Figure } from "./figure";
import { Backdrop } from "./light/backdrop";
import { Floor } from "./light/floor";
import type { Illumination, Own } from "./light/illumination";
import type { Neighbours } from "./neighbours";
import type { Orbit } from "./orbit";
import type { Programs, View } from "./programs";
import type { Highlight, Scenery } from "./scenery";
import type { Part, Pass } from "./screen";
import type { TerrainGround } from "./terrain/ground";

/** The second picture: to the right of the divider, or beside the first. at: 0..1 across. */
export interface Beside {
  view: View;
  scenery: Scenery | null;
  sideBySide: boolean;
  at: number;
}

/** What is drawn, as it is at the moment. */
export interface Subject {
  readonly scenery: Scenery;
  readonly highlight: Highlight;
}

/** What helps the eye. sky: it is seen behind the surface; spaced: metres between lines on the ground, 0 for none. */
export interface Aids {
  sky: boolean;
  wires: boolean;
  spaced: number;
  figure: boolean;
}

export const NO_AIDS: Aids = { sky: true, wires: false, spaced: 0, figure: false };

/** Lenses that show things in the light, before their sky. */
const IN_THE_LIGHT = new Set(["blend", "clay"]);

export class Passes {
  readonly #scene = new Scene();
  readonly #backdrop: Backdrop;
  readonly #floor: Floor;
  /** What the surface lies in, in the scene. */
  own: Sphere;
  /** What is seen besides the surface. */
  aids: Aids = NO_AIDS;
  #figure: Figure | null = null;

  constructor(
    private readonly renderer: WebGLRenderer,
    private readonly programs: Programs,
    private readonly neighbours: Neighbours,
    private readonly orbit: Orbit,
    private readonly ground: TerrainGround | null,
    private readonly subject: Subject,
    private readonly light: Illumination,
  ) {
    this.#backdrop = new Backdrop(light, { ...programs.own });
    this.#floor = new Floor(light, { ...programs.own });
    this.own = subject.scenery.bounds;
  }

  /** Another thing is painted, or the first. */
  show({ scenery, highlight }: Subject, before?: Subject): void {
    if (before) this.#scene.remove(before.scenery.mesh, before.highlight.mesh);
    this.#scene.add(scenery.mesh, highlight.mesh);
  }

  /** Of a picture of so many pixels: one view, or two beside each other. */
  of({ x: width, y: height }: Vector2, view: View, beside: Beside | null): Pass[] {
    const whole = { x: 0, y: 0, width, height };
    const first = this.view(whole, this.subject.scenery, view);
    if (!beside) return [first];
    const second = this.view(whole, beside.scenery ?? this.subject.scenery, beside.view);
    const half = Math.round(width / 2);
    const at = beside.sideBySide ? half : Math.round(width * beside.at);
    const [left, right] = [
      { x: 0, y: 0, width: at, height },
      { x: at, y: 0, width: width - at, height },
    ];
    return beside.sideBySide
      ? [
          { ...first, viewport: left, scissor: left },
          { ...second, viewport: right, scissor: right },
        ]
      : [
          { ...first, scissor: left },
          { ...second, scissor: right },
        ];
  }

  /** One view of a scenery. */
  view(whole: Part, scenery: Scenery, view: View): Pass {
    const draw = (low: number, high: number) => {
      const { camera } = this.orbit;
      this.#tell(this.programs.own, null);
      this.ground?.select(camera, this.orbit.afar);
      const part = high - low < 1.99 && !this.programs.moves(view);
      const matrix = camera.projectionMatrix.clone().multiply(camera.matrixWorldInverse);
      scenery.confine(part ? matrix : null, low, high);
      this.#draw(scenery, view);
      scenery.confine(null);
    };
    return { viewport: whole, scissor: whole, draw };
  }

  /** Tell a thing where eye and light are. own: from its metres to the scene's. */
  #tell(to: Own, own: Matrix4 | null): void {
    const { light } = this;
    const lamp = light.near ? light.lampFor(this.own.center, this.own.radius) : null;
    light.tell(to, this.orbit.camera.position, lamp, own);
  }

  /** Have the figure stand in the scene: right of the surface as it is seen first, or on the ground where one looks. */
  #stand(hiding: boolean): void {
    const material = this.programs.standing(hiding);
    this.#figure ??= new Figure(material);
    this.#figure.draw(material);
    const [x, , z] = this.orbit.stand.target;
    if (this.ground) this.#figure.stand(x, this.ground.heightAt(x, z), z);
    else {
      const { center, radius } = this.own;
      const away = (0.9 * radius + 0.6) * Math.SQRT1_2;
      this.#figure.stand(center.x + away, this.subject.scenery.lowest, center.z - away);
    }
    this.#scene.add(this.#figure.group);
  }

  /** Draw only how far everything is from a light's camera. */
  cast(camera: Camera): void {
    const { scenery, highlight } = this.subject;
    const { mesh } = scenery;
    this.ground?.selectAll();
    scenery.confine(null);
    const hiding = this.programs.hidingFor(scenery);
    mesh.material = Array.from({ length: scenery.materials }, () => hiding);
    this.#scene.remove(highlight.mesh);
    if (this.aids.figure) this.#stand(true);
    const draw = () => this.renderer.render(this.#scene, camera);
    this.neighbours.amid(this.#scene, (to, own) => this.#tell(to, own), true, draw);
    if (this.#figure) this.#scene.remove(this.#figure.group);
    this.#scene.add(highlight.mesh);
  }

  #draw(scenery: Scenery, view: View): void {
    const { subject } = this;
    const main = scenery === subject.scenery;
    const found = this.programs.materialFor(scenery, view, main);
    if (!found) return;
    // Groups are runs with a material number each; where they look alike, all numbers are one material.
    const mesh: Mesh = scenery.mesh;
    mesh.material = Array.isArray(found) ? found : Array.from({ length: scenery.materials }, () => found);
    if (!main) {
      this.#scene.remove(subject.scenery.mesh, subject.highlight.mesh);
      this.#scene.add(mesh);
    }
    const lit = IN_THE_LIGHT.has(view.lens);
    const draw = () => this.renderer.render(this.#scene, this.orbit.camera);
    const { aids } = this;
    if (aids.wires) this.#scene.add(scenery.wires.with(this.programs.wireFor(scenery, view)));
    if (aids.figure && lit) this.#stand(false);
    if (lit && aids.sky && this.light.known) {
      this.#backdrop.follow(this.orbit.camera);
      this.#scene.add(this.#backdrop.mesh);
      this.#floor.lie(this.own, scenery.lowest, aids.spaced);
      if (!this.ground && this.#floor.seenFrom(this.orbit.camera.position)) this.#scene.add(this.#floor.mesh);
    }
    if (lit) this.neighbours.amid(this.#scene, (to, own) => this.#tell(to, own), false, draw);
    else draw();
    this.#scene.remove(this.#backdrop.mesh, this.#floor.mesh);
    if (aids.wires) this.#scene.remove(scenery.wires.lines);
    if (this.#figure) this.#scene.remove(this.#figure.group);
    if (!main) {
      this.#scene.remove(mesh);
      this.#scene.add(subject.scenery.mesh, subject.highlight.mesh);
    }
  }

  dispose(): void {
    this.#backdrop.dispose();
    this.#floor.dispose();
    this.#figure?.dispose();
  }
}
