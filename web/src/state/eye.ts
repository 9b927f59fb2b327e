/** What the state asks of the picture; the viewport answers while there is one. */

import type { Recipe, Stand } from "./types";

export interface Eye {
  /** Rows of the view matrix, for stencils projected from the eye. */
  rows(): number[];
  /** The place of the surface in the middle of the picture, in metres. */
  middle(): [number, number, number] | null;
  /** Where it is seen from; null where it is not seen. */
  stand(): Stand | null;
  /** What is chosen, as large as it fits. */
  frameChosen(): void;
  /** A large picture; see the viewport. */
  save(width: number, sky: boolean, onDone: (done: number) => boolean): Promise<HTMLCanvasElement | null>;
  /** Without perspective, or with it. */
  straighten(straight: boolean): void;
  /** Look from a place. */
  look(from: Stand): void;
  /** Where the key light shines from, of length one. */
  keyLight(): [number, number, number];
  /** Go near to a neighbour. */
  visit(number: number): void;
  /** A small picture of what a recipe makes of the surface. */
  pictureOf(recipe: Recipe): Promise<Blob | null>;
}

/** Before there is a picture, and where there can be none. */
export const CLOSED: Eye = {
  rows: () => [],
  middle: () => null,
  stand: () => null,
  frameChosen: () => {},
  save: () => Promise.resolve(null),
  straighten: () => {},
  look: () => {},
  keyLight: () => [0, 1, 0],
  visit: () => {},
  pictureOf: () => Promise.resolve(null),
};
