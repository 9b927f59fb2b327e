/** Across: the brush's radius. Up and down: its strength. */

import type { Bench, Place, Tool } from "./tool";

export class SizeTool implements Tool {
  #last: Place = { x: 0, y: 0 };

  constructor(private readonly bench: Bench) {}

  begin(at: Place): boolean {
    this.#last = at;
    return true;
  }

  move(at: Place): void {
    const { studio, element } = this.bench;
    const height = element.clientHeight;
    studio.brush.scaleRadius(Math.exp(((at.x - this.#last.x) / height) * 4));
    studio.brush.addStrength(-((at.y - this.#last.y) / height) * 1.5);
    this.#last = at;
  }

  /** The ring stays where it is while it grows. */
  ringAt(at: Place): Place {
    return at;
  }

  end(): void {}

  readonly holdsView = true;
}
