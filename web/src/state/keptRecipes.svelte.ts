/** The project's collection of recipes, and parts of a blend on their way to this surface. */

import { toast } from "svelte-sonner";

import { answer, server } from "./server";
import type { Studio } from "./studio.svelte";
import { note, tellError } from "./told";
import type { KeptRecipe, Layer, Recipe } from "./types";

interface Fitted {
  recipe: Recipe | null;
  layer: Layer | null;
  channels: number;
  materials: number;
}

/** The same as it is on this surface; null where it cannot be, which is told. */
export async function adopted(
  studio: Studio,
  part: { recipe: Recipe } | { layer: Layer },
): Promise<Fitted | null> {
  const path = { ident: studio.surface.id };
  const body = { ...part, instead: $state.snapshot(studio.selection.addressOfBase) };
  try {
    const found = await answer<Fitted>(
      server.POST("/api/surfaces/{ident}/adopted", { params: { path }, body }),
    );
    const counted = (count: number, what: string) => (count === 1 ? `a ${what}` : `${count} ${what}s`);
    const told = [
      ...(found.channels
        ? [`${counted(found.channels, "channel")} of ${studio.selection.baseSet.document.name}`]
        : []),
      ...(found.materials ? [`${counted(found.materials, "material")} of this project`] : []),
    ];
    if (told.length) note(`In the place of what is not here it has ${told.join(" and ")}.`);
    return found;
  } catch (error) {
    tellError(error);
    return null;
  }
}

export const recipePicture = (id: string) => `/api/recipes/${id}/picture`;

export class KeptRecipes {
  all = $state.raw<KeptRecipe[]>([]);
  loaded = $state(false);

  constructor(private readonly studio: Studio) {}

  get #project() {
    return { params: { path: { project: this.studio.surface.project } } };
  }

  async load(): Promise<void> {
    try {
      this.all = await answer<KeptRecipe[]>(server.GET("/api/projects/{project}/recipes", this.#project));
      this.loaded = true;
    } catch (error) {
      tellError(error);
    }
  }

  async keep(name: string, recipe: Recipe, picture: Blob | null): Promise<boolean> {
    try {
      const body = { name, recipe };
      const made = await answer<KeptRecipe>(
        server.POST("/api/projects/{project}/recipes", { ...this.#project, body }),
      );
      if (picture) await fetch(recipePicture(made.id), { method: "PUT", body: picture }).catch(() => {});
      await this.load();
      return true;
    } catch (error) {
      tellError(error);
      return false;
    }
  }

  /** Let one go; it can be had back as long as it is said so. */
  async remove(gone: KeptRecipe): Promise<void> {
    try {
      const picture = gone.pictured
        ? await fetch(recipePicture(gone.id)).then((found) => found.blob())
        : null;
      await answer(server.DELETE("/api/recipes/{ident}", { params: { path: { ident: gone.id } } }));
      toast.message(`${gone.name} is not kept any more.`, {
        action: { label: "Keep it", onClick: () => void this.keep(gone.name, gone.recipe, picture) },
      });
    } catch (error) {
      tellError(error);
    }
    await this.load();
  }
}
