/** From nothing at one place to full at another. */

import type { Hit } from "../picking";
import type { Bench, Place, Tool } from "./tool";

export class GradientTool implements Tool {
  #from: Hit | null = null;

  constructor(private readonly bench: Bench) {}

  begin(_: Place, hit: Hit | null): boolean {
    this.#from = hit;
    return hit !== null;
  }

  move(at: Place): void {
    const { ring, viewport } = this.bench;
    if (this.#from) ring.line(viewport.projection.toPixels(this.#from.position), at);
  }

  end(at: Place): void {
    const { studio, viewport, ring } = this.bench;
    const to = viewport.hit(at.x, at.y);
    if (this.#from && to && to.position.distanceTo(this.#from.position) > 0) {
      studio.painting.fill(
        {
          kind: "gradient",
          begin: viewport.projection.inWorld(this.#from.position),
          end: viewport.projection.inWorld(to.position),
          begin_weight: 0,
          end_weight: studio.brush.settings.target,
          beyond: true,
        },
        { flipped: studio.brush.flipped },
      );
    }
    this.#from = null;
    ring.clear();
  }
}
