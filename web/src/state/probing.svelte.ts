/** What is under the cursor: one question at a time, and of those that wait only the newest matters. */

import type { Studio } from "./studio.svelte";
import type { CoreSample } from "./types";

/** A place of the surface. A triangle of one level is none of another. */
interface Place {
  level: number;
  triangle: number;
  barycentric: [number, number, number];
}

export class Probing {
  sample = $state.raw<CoreSample | null>(null);
  /** Something has been asked for and is not told yet. */
  asking = $state(false);
  #waiting = false;
  #next: Place | null = null;
  /** Where was asked last, to ask again when something has changed there. */
  #last: Place | null = null;
  #timer: ReturnType<typeof setTimeout> | undefined;

  constructor(private readonly studio: Studio) {}

  /** Ask about a place of the level that is chosen. */
  ask(triangle: number, barycentric: [number, number, number]): void {
    const { selection, brush, live, painting } = this.studio;
    if (painting.active) return;
    const place = { level: selection.level, triangle, barycentric };
    this.#last = place;
    this.#next = this.#waiting ? place : null;
    this.asking = true;
    if (this.#waiting) return;
    const { radius, reach, facing_limit } = brush.settings;
    const of = { channel_set: selection.set.id, ...place };
    this.#waiting = live.send({ type: "probe", number: 0, ...of, radius, reach, facing_limit });
  }

  /** What was told of a place may be another thing now. */
  again(): void {
    clearTimeout(this.#timer);
    this.asking = this.asking || this.sample !== null;
    this.#timer = setTimeout(() => {
      this.asking = this.#waiting;
      const last = this.#last;
      if (!this.sample || !last) return;
      if (last.level !== this.studio.selection.level) this.forget();
      else this.ask(last.triangle, last.barycentric);
    }, 120);
  }

  told(sample: CoreSample): void {
    this.#waiting = false;
    this.sample = sample;
    this.asking = false;
    const next = this.#next;
    if (next && next.level === this.studio.selection.level) this.ask(next.triangle, next.barycentric);
  }

  /** What was asked for will not be told: the connection or the question was refused. */
  ended(): void {
    this.#waiting = this.asking = false;
  }

  /** The triangles are others now. */
  forget(): void {
    this.sample = this.#last = this.#next = null;
  }
}
