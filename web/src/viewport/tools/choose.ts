/** Faces for a group or for refining: a click, or an outline round them; with X held they are taken away. */

import type { Bench, Place, Tool } from "./tool";

/** Pixels within which an outline is a click. */
const CLICK = 5;

export class ChooseTool implements Tool {
  #outline: Place[] = [];

  constructor(private readonly bench: Bench) {}

  begin(at: Place): boolean {
    this.#outline = [at];
    return true;
  }

  move(at: Place): void {
    this.#outline.push(at);
    this.bench.ring.outline(this.#outline);
  }

  async end(at: Place): Promise<void> {
    const { studio, viewport, ring } = this.bench;
    ring.clear();
    const outline = this.#outline;
    this.#outline = [];
    const extent = Math.max(...outline.map((p) => Math.hypot(p.x - outline[0]!.x, p.y - outline[0]!.y)));
    const clicked = extent < CLICK;
    const hit = clicked ? viewport.hit(at.x, at.y) : null;
    const taking = studio.brush.flipped;
    const found = clicked
      ? hit
        ? [hit.triangle]
        : []
      : await viewport.inside(outline, studio.selection.choosesThrough);
    const chosen = new Set(studio.selection.chosen);
    for (const triangle of found) {
      if (taking || (clicked && studio.selection.chosen.has(triangle))) chosen.delete(triangle);
      else chosen.add(triangle);
    }
    studio.selection.chosen = chosen;
  }
}
