/** The program of the lens that is shown, where it has one of its own: asked for when what it shows changes. */

import { sourceOf } from "./ingredients";
import { isProgrammed, type Lens } from "./lenses";
import { answer, server } from "./server";
import type { Studio } from "./studio.svelte";
import { tellError } from "./told";
import type { AnyLens, LensView, Recipe, Term } from "./types";

/** The recipe that the chosen channel's undercoat is made by. */
export function undercoatRecipe(studio: Studio): Recipe | null {
  const { undercoat } = studio.selection.channel;
  return studio.surveys.draft.recipe ?? (undercoat.kind === "measured" ? undercoat.recipe : null);
}

/**
 * What the Mask and the Term lens show of an undercoat that is made by measures. These are not told at a pixel, so
 * the channel's values are shown as that recipe makes them; null where a program shows it.
 */
export function shownByValues(studio: Studio, lens: Lens): Recipe | null {
  const recipe = studio.selection.side === "undercoat" ? undercoatRecipe(studio) : null;
  if (!recipe) return null;
  const measured = (term: Term) => term.on !== false && !sourceOf(term.source.kind).live;
  if (lens === "mask") return recipe.terms.some(measured) ? recipe : null;
  const term = lens === "term" ? recipe.terms[studio.selection.openTerm] : undefined;
  if (!term || sourceOf(term.source.kind).live) return null;
  return { terms: [{ ...term, op: "set", amount: 1, on: true }] };
}

/** What to ask for; null where there is nothing to show. */
function wishFor(studio: Studio, lens: Lens): AnyLens | null {
  if (lens === "slope" || lens === "height") return { kind: lens };
  if (lens === "overlap") {
    return {
      kind: lens,
      channel_set: studio.selection.set.id,
      channels: studio.selection.set.document.channels.length,
    };
  }
  if (shownByValues(studio, lens)) return null;
  const recipe = studio.selection.side === "undercoat" ? undercoatRecipe(studio) : null;
  if (recipe && lens === "mask") return { kind: "recipe", recipe };
  const { openTerm } = studio.selection;
  const within = (terms: unknown[]) => openTerm >= 0 && openTerm < terms.length;
  if (recipe && lens === "term") {
    return within(recipe.terms) ? { kind: "recipe", recipe, term: openTerm } : null;
  }
  const layer = studio.documents.blend.layers.find((l) => l.id === studio.selection.openLayer);
  if (!layer) return null;
  if (lens === "term") {
    return within(layer.mask.terms) ? { kind: "term", layer: layer.id, term: openTerm } : null;
  }
  return lens === "mask" || lens === "weight" || lens === "share"
    ? { kind: lens, layer: layer.id, term: 0 }
    : null;
}

/** A program that shows one number at every place. */
export const lensOf = (studio: Studio, wish: AnyLens): Promise<LensView> =>
  answer<LensView>(
    server.POST("/api/surfaces/{ident}/lens", {
      params: { path: { ident: studio.surface.id } },
      body: wish,
    }),
  );

export class LensProgram {
  shown = $state.raw<LensView | null>(null);
  loading = $state(false);
  #asked = "";

  constructor(private readonly studio: Studio) {}

  /** Follow the lens, the open layer and the blend; called in an effect. */
  follow(lens: Lens): void {
    const wish = isProgrammed(lens) ? wishFor(this.studio, lens) : null;
    // What is kept of the blend, and not what is being dragged: numbers follow by themselves.
    const key = wish ? `${JSON.stringify(wish)}@${this.studio.documents.compiled.blend.structure}` : "";
    if (key === this.#asked) return;
    this.#asked = key;
    if (!wish) {
      this.shown = null;
      this.loading = false;
      return;
    }
    this.loading = true;
    void lensOf(this.studio, wish).then(
      (view) => {
        if (this.#asked !== key) return;
        this.loading = false;
        this.shown = view;
      },
      (error: unknown) => {
        if (this.#asked !== key) return;
        this.loading = false;
        this.shown = null;
        tellError(error);
      },
    );
  }
}
