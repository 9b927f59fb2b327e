<!-- Under a recipe: more terms, and recipes from elsewhere. -->
<script lang="ts">
  import Plus from "@lucide/svelte/icons/plus";
  import { Popover } from "bits-ui";

  import { copied, copy } from "../../state/copied.svelte";
  import { ingredients } from "../../state/ingredients";
  import { adopted } from "../../state/keptRecipes.svelte";
  import { freshId } from "../../state/layers";
  import { terrainOf } from "../../state/sites";
  import type { Studio } from "../../state/studio.svelte";
  import type { Recipe } from "../../state/types";
  import PictureCard from "../../ui/PictureCard.svelte";
  import KeptPopover from "./KeptPopover.svelte";

  interface Props {
    studio: Studio;
    recipe: Recipe;
    /** Whether measures may be terms here; else they come in by way of a channel, as they are never told at a pixel. */
    measures: boolean;
    onadd: (source: string) => void;
    onchange: (recipe: Recipe) => void;
  }
  const { studio, recipe, measures, onadd, onchange }: Props = $props();

  const ground = $derived(terrainOf(studio.surface) !== null);
  const live = ingredients().sources.filter((source) => source.live);
  const measured = $derived(
    ingredients().sources.filter((s) => !s.live && (ground ? s.on_terrain : s.on_meshes)),
  );
  const MOST = 24;
  let adding = $state(false);
  const QUIET = "text-soft hover:text-ink hover:bg-raised h-7 rounded-md px-1.5 disabled:opacity-45";

  /** Lay terms from elsewhere here. below: under those that are there; else in their place. */
  async function lay(from: Recipe, below: boolean): Promise<void> {
    const found = await adopted(studio, { recipe: $state.snapshot(from) as Recipe });
    if (!found?.recipe) return;
    const laid = found.recipe.terms.map((term) => ({ ...term, id: freshId() }));
    const terms = below ? [...recipe.terms, ...laid] : laid;
    onchange({ ...recipe, terms: terms.slice(0, MOST) });
  }
</script>

<div class="mt-1.5 flex flex-wrap items-center justify-between text-sm">
  <Popover.Root bind:open={adding}>
    <Popover.Trigger
      class="text-soft hover:text-ink hover:bg-raised flex h-7 items-center gap-1 rounded-md px-1.5 whitespace-nowrap disabled:opacity-45"
      disabled={recipe.terms.length >= MOST}
      title="Something more that decides where it lies"
    >
      <Plus size={14} /> Add a term
    </Popover.Trigger>
    <Popover.Portal>
      <Popover.Content
        role="dialog"
        aria-label="Add a term"
        side="left"
        align="start"
        class="bg-raised border-line z-50 max-h-[86vh] overflow-y-auto rounded-md border p-1 text-sm shadow-xl {measured.length
          ? 'w-[23rem]'
          : 'w-72'}"
      >
        <p class="text-soft px-2 pt-1 pb-1 text-xs">Told at every place: paint, slope, height, noise.</p>
        <div class={measured.length ? "grid grid-cols-3" : ""}>
          {#each live as source (source.kind)}
            <button
              type="button"
              class="hover:bg-strong block w-full rounded px-2 py-1.5 text-left"
              title={source.about}
              aria-label="{source.title} {source.about}"
              onclick={() => {
                adding = false;
                onadd(source.kind);
              }}
            >
              {source.title}{#if !measured.length}<span class="text-soft block text-xs">{source.about}</span
                >{/if}
            </button>
          {/each}
        </div>
        {#if measured.length}
          <p class="text-soft border-line mt-1 border-t px-2 pt-1.5 pb-1.5 text-xs">
            {measures
              ? "Measured once over the surface; a ramp over it moves at once."
              : "Measured once, into the undercoat of a free channel that the mask then reads."}
          </p>
          <div class="grid grid-cols-3 gap-1 pb-1">
            {#each measured as source (source.kind)}
              <PictureCard
                title={source.title}
                about={source.about}
                picture={source.kind}
                onclick={() => {
                  adding = false;
                  onadd(source.kind);
                }}
              />
            {/each}
          </div>
        {/if}
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
  <span class="flex">
    <button
      type="button"
      class={QUIET}
      title="Copy all terms, for another layer, an undercoat or another surface"
      disabled={recipe.terms.length === 0}
      onclick={() => copy({ recipe: $state.snapshot(recipe) as Recipe })}>Copy</button
    >
    <button
      type="button"
      class={QUIET}
      title="Add the copied terms below these"
      disabled={!copied.recipe}
      onclick={() => copied.recipe && void lay(copied.recipe, true)}>Paste</button
    >
    <KeptPopover {studio} {recipe} onlay={(from, below) => void lay(from, below)} />
  </span>
</div>
