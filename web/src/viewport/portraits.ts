/** Small pictures of the surface, taken when the screen shows it: of every step, and of how it was last seen. */

import type { Studio } from "../state/studio.svelte";
import type { Viewport } from "./viewport";

/** So long nothing moves before the last view is kept. */
const REST = 1500;

export class Portraits {
  #taken = 0;
  #resting: ReturnType<typeof setTimeout> | undefined;
  #seen: Viewport | null = null;

  constructor(private readonly studio: Studio) {}

  /** The screen shows everything there is. */
  async take(viewport: Viewport): Promise<void> {
    this.#rest(viewport);
    const { studio } = this;
    const { steps } = studio;
    const newest = studio.history.at;
    if (steps === this.#taken || newest === 0) return;
    if (studio.preparing.planShown || studio.painting.previewing) return;
    this.#taken = steps;
    const picture = await viewport.thumbnail(120, 75);
    if (!picture) return;
    await put(`/api/surfaces/${studio.surface.id}/steps/${newest}/picture`, picture);
    studio.pictures++;
  }

  #rest(viewport: Viewport): void {
    clearTimeout(this.#resting);
    this.#seen = viewport;
    this.#resting = setTimeout(() => void this.leave(), REST);
  }

  /** Keep how the surface is looked at now. */
  async leave(): Promise<void> {
    clearTimeout(this.#resting);
    const { studio } = this;
    const viewport = this.#seen;
    this.#seen = null;
    if (!viewport || studio.preparing.planShown || studio.painting.previewing) return;
    const picture = await viewport.thumbnail(320, 200);
    if (picture) await put(`/api/surfaces/${studio.surface.id}/view`, picture);
  }
}

async function put(path: string, picture: Blob): Promise<void> {
  await fetch(path, { method: "PUT", body: picture, keepalive: true }).catch(() => {});
}
