/** Pictures aside, which are never on the screen: small ones of steps and of recipes, and large ones to keep. */

import type { Vector2 } from "three";

import type { Linker } from "./linker";
import type { Orbit } from "./orbit";
import type { Beside, Passes } from "./passes";
import type { Programs, View } from "./programs";
import type { Projection } from "./projection";
import type { Scenery } from "./scenery";
import type { Pass, Screen } from "./screen";

/** Small pictures are drawn in so many bands, and large ones in one for each so many pixels of width: they hold up nobody. */
const SMALL_BANDS = 6;
const FOR_WIDTH = 64;

/** What the screen shows. changes: how often that was another. */
export interface Shown {
  readonly scenery: Scenery;
  readonly view: View;
  readonly beside: Beside | null;
  readonly changes: number;
  readonly gone: boolean;
  /** Draw as finely as can be from now on. */
  refine(): void;
}

export class Aside {
  constructor(
    private readonly shown: Shown,
    private readonly screen: Screen,
    private readonly passes: Passes,
    private readonly programs: Programs,
    private readonly linker: Linker,
    private readonly orbit: Orbit,
    private readonly projection: Projection,
  ) {}

  /** Whether there is something to draw a view with, of what is shown or of another scenery. */
  has(view: View, of: Scenery = this.shown.scenery): boolean {
    return this.programs.nameOf(of, view, null) !== null;
  }

  /** A small picture of what a view shows, as soon as what it needs is here; null if that takes too long. */
  async pictureOf(view: View, width: number, height: number): Promise<Blob | null> {
    for (let waited = 0; !this.has(view); waited++) {
      if (waited === 30) return null;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    return this.thumbnail(width, height, null, view);
  }

  /** A small picture of the surface as it is now, of another scenery, or of another view; null if it changed meanwhile. */
  async thumbnail(
    width: number,
    height: number,
    of: Scenery | null = null,
    view: View = this.shown.view,
  ): Promise<Blob | null> {
    const { shown, passes } = this;
    if (of) {
      this.programs.fit([shown.scenery, of]);
      if (!(await this.programs.arrived(of))) return null;
    }
    const alone = of !== null || view !== shown.view;
    const wanted = (size: Vector2): Pass[] =>
      alone
        ? [passes.view({ x: 0, y: 0, width: size.x, height: size.y }, of ?? shown.scenery, view)]
        : passes.of(size, shown.view, shown.beside);
    const shaped = (size: Vector2): Pass[] =>
      wanted(size).map((pass) => ({
        ...pass,
        draw: (low, high) =>
          this.orbit.shapedAs(pass.viewport.width / pass.viewport.height, () => pass.draw(low, high)),
      }));
    const unchanged = this.#unchanged();
    try {
      return await this.screen.small(width, height, SMALL_BANDS, shaped, unchanged);
    } finally {
      of?.dispose();
    }
  }

  /**
   * A large picture of what is shown. sky: it is seen behind the surface; else there is nothing, and no ground.
   * onDone: told the share that is done; false gives it up.
   */
  async save(
    width: number,
    sky: boolean,
    onDone: (done: number) => boolean,
  ): Promise<HTMLCanvasElement | null> {
    const { shown, passes } = this;
    const { aids } = passes;
    shown.refine();
    const wanted = (size: Vector2): Pass[] =>
      passes.of(size, shown.view, shown.beside).map((pass) => ({
        ...pass,
        draw: (low, high) => {
          passes.aids = { ...aids, sky };
          pass.draw(low, high);
          passes.aids = aids;
        },
      }));
    const { x, y } = this.projection.size;
    const unchanged = this.#unchanged();
    return this.screen.large(
      width,
      Math.round((width * y) / x),
      Math.ceil(width / FOR_WIDTH),
      wanted,
      async (done) => (await unchanged()) && onDone(done),
    );
  }

  /** Waits for the graphics card, and tells whether what is shown is still what it was. */
  #unchanged(): () => Promise<boolean> {
    const { changes } = this.shown;
    return async () => {
      await this.linker.done();
      return changes === this.shown.changes && !this.shown.gone;
    };
  }
}
