/** Places are picked one by one, for a measure along the line through them. */

import type { Hit } from "../picking";
import type { Bench, Place, Tool } from "./tool";

export class LineTool implements Tool {
  constructor(private readonly bench: Bench) {}

  begin(_: Place, hit: Hit | null): boolean {
    const { studio, viewport } = this.bench;
    if (hit && studio.selection.line)
      studio.selection.pickLine([...studio.selection.line.places, viewport.projection.inWorld(hit.position)]);
    return false;
  }

  move(): void {}

  end(): void {}
}
