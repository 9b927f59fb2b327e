/** The bearing of the key light, told while it is moved and for a moment after. */

import { bearingOf } from "./bearing";
import type { Bearing } from "./types";

const SHOWN_FOR = 4000;

export class LightTold {
  bearing = $state.raw<Bearing | null>(null);
  #next: [number, number, number] | null = null;
  #asking = false;
  #ends: ReturnType<typeof setTimeout> | undefined;

  /** light: where it shines from now, of length one. */
  async moved(light: [number, number, number]): Promise<void> {
    this.#next = light;
    if (this.#asking) return;
    this.#asking = true;
    try {
      while (this.#next) {
        const asked = this.#next;
        this.#next = null;
        this.bearing = await bearingOf(asked);
      }
    } catch {
      // It is said in passing; a lost connection is told elsewhere.
      this.bearing = null;
    }
    this.#asking = false;
    clearTimeout(this.#ends);
    this.#ends = setTimeout(() => (this.bearing = null), SHOWN_FOR);
  }
}
