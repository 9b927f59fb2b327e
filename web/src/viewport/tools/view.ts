/** Turn the view, shift it, or move the light. */

import type { Bench, Place, Tool } from "./tool";

export class ViewTool implements Tool {
  #last: Place = { x: 0, y: 0 };
  readonly holdsView = true;

  constructor(
    private readonly bench: Bench,
    private readonly way: "turn" | "shift" | "light",
  ) {}

  begin(at: Place): boolean {
    this.#last = at;
    return true;
  }

  move(at: Place): void {
    const { viewport, ring, element } = this.bench;
    const height = element.clientHeight;
    const dx = (at.x - this.#last.x) / height;
    const dy = (at.y - this.#last.y) / height;
    if (this.way === "turn") viewport.orbit.turn(dx, dy);
    else if (this.way === "shift") viewport.orbit.shift(dx, dy);
    else this.#turnLight(dx, dy);
    this.#last = at;
    ring.clear();
    viewport.invalidate(true);
  }

  /** To the right it goes around, up it rises. */
  #turnLight(dx: number, dy: number): void {
    const { lighting } = this.bench.studio;
    const light = lighting.light;
    if (light) lighting.turn(light.azimuth - dx * 172, light.tilt - dy * 172);
  }

  end(): void {}
}
