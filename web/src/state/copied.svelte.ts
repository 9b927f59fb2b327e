/** What was copied to be laid down elsewhere: on another layer, another surface of the project. */

import type { Layer, Recipe } from "./types";

export const copied = $state<{ recipe: Recipe | null; layer: Layer | null }>({ recipe: null, layer: null });
