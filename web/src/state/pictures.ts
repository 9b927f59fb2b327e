/** Grey pictures of the project: stencils for the brush, and masks that were made elsewhere. */

import { post } from "./server";
import type { Studio } from "./studio.svelte";
import { tellError } from "./told";

/** Ask for a file; null where none is chosen. */
function chosenFile(accept: string): Promise<File | null> {
  const input = document.createElement("input");
  input.type = "file";
  input.accept = accept;
  return new Promise((resolve) => {
    input.onchange = () => resolve(input.files?.[0] ?? null);
    input.oncancel = () => resolve(null);
    input.click();
  });
}

/** Bring a PNG or JPEG into the project; its id, or null. */
export async function bringPicture(studio: Studio): Promise<string | null> {
  const file = await chosenFile(".png,.jpg,.jpeg");
  if (!file) return null;
  const form = new FormData();
  form.append("name", file.name.replace(/\.[^.]*$/, "").slice(0, 60) || "Picture");
  form.append("file", file);
  try {
    const made = await post<{ id: string }>(`/api/projects/${studio.surface.project}/stencils`, form);
    await studio.documents.reloadMaterials();
    return made.id;
  } catch (error) {
    tellError(error);
    return null;
  }
}
