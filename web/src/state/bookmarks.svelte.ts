/** Places that the surface is looked at from, by name. */

import { answer, server } from "./server";
import type { Studio } from "./studio.svelte";
import { tellError } from "./told";
import type { Bookmark } from "./types";

export class Bookmarks {
  all = $state.raw<Bookmark[]>([]);

  constructor(private readonly studio: Studio) {}

  get #surface() {
    return { params: { path: { ident: this.studio.surface.id } } };
  }

  async load(): Promise<void> {
    try {
      this.all = await answer<Bookmark[]>(server.GET("/api/surfaces/{ident}/bookmarks", this.#surface));
    } catch (error) {
      tellError(error);
    }
  }

  async add(name: string): Promise<void> {
    const stand = this.studio.eye.stand();
    if (!stand) return;
    try {
      const body = { name, stand };
      await answer(server.POST("/api/surfaces/{ident}/bookmarks", { ...this.#surface, body }));
    } catch (error) {
      tellError(error);
    }
    await this.load();
  }

  async remove(gone: Bookmark): Promise<void> {
    try {
      await answer(server.DELETE("/api/bookmarks/{ident}", { params: { path: { ident: gone.id } } }));
    } catch (error) {
      tellError(error);
    }
    await this.load();
  }
}
