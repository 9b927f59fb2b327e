/** Whole faces: those dragged over are filled together. */

import type { Hit } from "../picking";
import type { Bench, Place, Tool } from "./tool";

export class FacesTool implements Tool {
  #picked = new Set<number>();

  constructor(private readonly bench: Bench) {}

  begin(_: Place, hit: Hit | null): boolean {
    this.#picked = new Set(hit ? [hit.triangle] : []);
    this.bench.viewport.choose(this.#picked);
    return this.#picked.size > 0;
  }

  move(at: Place): void {
    const hit = this.bench.viewport.hit(at.x, at.y);
    if (!hit || this.#picked.has(hit.triangle)) return;
    this.#picked.add(hit.triangle);
    this.bench.viewport.choose(this.#picked);
  }

  end(): void {
    const { studio, viewport } = this.bench;
    const faces = { ...studio.selection.faces, picked: [...this.#picked] };
    const weight = studio.brush.settings.target;
    studio.painting.fill({ kind: "even", weight }, { faces, flipped: studio.brush.flipped });
    this.#picked = new Set();
    viewport.choose(studio.selection.tinted);
  }
}
