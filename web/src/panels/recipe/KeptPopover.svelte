<!-- The project's collection: keep this recipe, or lay one that was kept. -->
<script lang="ts">
  import Trash from "@lucide/svelte/icons/trash-2";
  import { Popover } from "bits-ui";
  import { untrack } from "svelte";

  import { KeptRecipes, recipePicture } from "../../state/keptRecipes.svelte";
  import type { Studio } from "../../state/studio.svelte";
  import type { Recipe } from "../../state/types";
  import { PLAIN } from "../../ui/button";
  import IconButton from "../../ui/IconButton.svelte";
  import Segmented from "../../ui/Segmented.svelte";

  interface Props {
    studio: Studio;
    recipe: Recipe;
    onlay: (recipe: Recipe, below: boolean) => void;
  }
  const { studio, recipe, onlay }: Props = $props();

  const kept = new KeptRecipes(untrack(() => studio));
  let open = $state(false);
  let name = $state("");
  let keeping = $state(false);
  let where = $state<"instead" | "below">("instead");

  $effect(() => {
    if (open) void kept.load();
  });

  async function keep(event: Event): Promise<void> {
    event.preventDefault();
    keeping = true;
    const held = $state.snapshot(recipe) as Recipe;
    const picture = await studio.eye.pictureOf(held);
    if (await kept.keep(name.trim(), held, picture)) name = "";
    keeping = false;
  }
</script>

<Popover.Root bind:open>
  <Popover.Trigger
    class="text-soft hover:text-ink hover:bg-raised h-7 rounded-md px-1.5"
    title="Recipes that this project keeps, and a place for this one">Kept</Popover.Trigger
  >
  <Popover.Portal>
    <Popover.Content
      role="dialog"
      aria-label="Kept recipes"
      side="left"
      align="end"
      class="bg-raised border-line z-50 flex max-h-[80vh] w-80 flex-col rounded-md border p-2 text-sm shadow-xl"
    >
      <form class="flex gap-1.5" onsubmit={keep}>
        <input
          class="bg-ash placeholder:text-soft h-8 min-w-0 flex-1 rounded-md px-2"
          aria-label="Name to keep this recipe by"
          placeholder="Name of this recipe"
          maxlength="60"
          disabled={keeping}
          bind:value={name}
        />
        <button
          type="submit"
          class={PLAIN}
          title="Keep these terms in the project, with a picture of what they make of this surface"
          disabled={keeping || !name.trim() || recipe.terms.length === 0}
          >{keeping ? "Keeping …" : "Keep"}</button
        >
      </form>
      {#if kept.all.length}
        <div class="mt-2">
          <Segmented
            label="Where a kept recipe goes"
            side="left"
            value={where}
            onchange={(v) => (where = v)}
            choices={[
              { value: "instead", name: "Instead of these", about: "It takes the place of the terms here" },
              { value: "below", name: "Below these", about: "Its terms are added under those here" },
            ]}
          />
        </div>
        <ul class="mt-2 grid min-h-0 grid-cols-2 gap-1.5 overflow-y-auto" aria-label="What is kept">
          {#each kept.all as entry (entry.id)}
            <li class="relative">
              <button
                type="button"
                class="hover:bg-strong block w-full rounded p-1 text-left"
                title="Lay {entry.name} here"
                onclick={() => {
                  onlay(entry.recipe, where === "below");
                  open = false;
                }}
              >
                <span class="bg-ash block aspect-[8/5] w-full overflow-hidden rounded">
                  {#if entry.pictured}<img
                      src={recipePicture(entry.id)}
                      alt=""
                      class="size-full object-cover"
                    />{/if}
                </span>
                <span class="mt-0.5 block truncate pr-6">{entry.name}</span>
              </button>
              <span class="absolute right-0 bottom-0">
                <IconButton
                  small
                  side="left"
                  label="Let {entry.name} go"
                  onclick={() => void kept.remove(entry)}><Trash size={13} /></IconButton
                >
              </span>
            </li>
          {/each}
        </ul>
      {:else if kept.loaded}
        <p class="text-soft mt-2">
          Nothing is kept yet. What you keep can be laid on any layer and under any channel of this project.
        </p>
      {/if}
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
