/** What was copied to be laid down elsewhere: on another layer, another surface, in another window. */

import type { Layer, Recipe } from "./types";

interface Copied {
  recipe: Recipe | null;
  layer: Layer | null;
}

const NOTHING: Copied = { recipe: null, layer: null };
const KEY = "ash.copied";

function kept(): Copied {
  try {
    return { ...NOTHING, ...(JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Copied>) };
  } catch {
    return NOTHING;
  }
}

/** What it names may not be there where it is laid: the server fits it to the surface. */
export const copied = $state<Copied>(kept());

export function copy(what: Partial<Copied>): void {
  Object.assign(copied, what);
  localStorage.setItem(KEY, JSON.stringify(copied));
}

window.addEventListener("storage", (event) => {
  if (event.key === KEY) Object.assign(copied, kept());
});
