/** A small picture of every step, taken when the screen shows it. */

import type { Studio } from "../state/studio.svelte";
import type { Viewport } from "./viewport";

export class Portraits {
  #taken = 0;

  constructor(private readonly studio: Studio) {}

  async take(viewport: Viewport): Promise<void> {
    const { studio } = this;
    const { steps } = studio;
    const newest = studio.history.at;
    if (steps === this.#taken || newest === 0) return;
    if (studio.preparing.planShown || studio.painting.previewing) return;
    this.#taken = steps;
    const picture = await viewport.thumbnail();
    if (!picture) return;
    await fetch(`/api/surfaces/${studio.surface.id}/steps/${newest}/picture`, {
      method: "PUT",
      body: picture,
    }).catch(() => {});
    studio.pictures++;
  }
}
