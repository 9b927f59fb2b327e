/** Places are picked one by one; a stroke then runs a smooth way through them. */

import type { Hit } from "../picking";
import type { Bench, Place, Tool } from "./tool";

export class PathTool implements Tool {
  constructor(private readonly bench: Bench) {}

  begin(_: Place, hit: Hit | null): boolean {
    const { studio, viewport } = this.bench;
    if (hit) studio.selection.path = [...studio.selection.path, viewport.projection.inWorld(hit.position)];
    return false;
  }

  move(): void {}

  end(): void {}
}
