/** What a picture is made of: passes one after another, each a view of a scenery in a part of the picture. */

import { Scene, type Mesh, type Vector2, type WebGLRenderer } from "three";

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

export class Passes {
  readonly #scene = new Scene();

  constructor(
    private readonly renderer: WebGLRenderer,
    private readonly programs: Programs,
    private readonly neighbours: Neighbours,
    private readonly orbit: Orbit,
    private readonly ground: TerrainGround | null,
    private readonly subject: Subject,
  ) {}

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
      this.programs.shared.eye.value.copy(camera.position);
      this.ground?.select(camera);
      const part = high - low < 1.99 && !this.programs.moves(view);
      const matrix = camera.projectionMatrix.clone().multiply(camera.matrixWorldInverse);
      scenery.confine(part ? matrix : null, low, high);
      this.#draw(scenery, view);
      scenery.confine(null);
    };
    return { viewport: whole, scissor: whole, draw };
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
    const draw = () => this.renderer.render(this.#scene, this.orbit.camera);
    if (view.lens === "blend") this.neighbours.amid(this.#scene, this.programs.shared, draw);
    else draw();
    if (!main) {
      this.#scene.remove(mesh);
      this.#scene.add(subject.scenery.mesh, subject.highlight.mesh);
    }
  }
}
