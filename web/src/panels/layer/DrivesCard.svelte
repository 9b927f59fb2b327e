<!-- Recipes that move one property alone of what all layers come to. -->
<script lang="ts">
  import Plus from "@lucide/svelte/icons/plus";
  import Trash from "@lucide/svelte/icons/trash-2";

  import { ofChannel } from "../../state/ingredients";
  import type { Studio } from "../../state/studio.svelte";
  import type { BlendDocument } from "../../state/types";
  import Choice from "../../ui/Choice.svelte";
  import ColourField from "../../ui/ColourField.svelte";
  import IconButton from "../../ui/IconButton.svelte";
  import Slider from "../../ui/Slider.svelte";
  import RecipeEditor from "../recipe/RecipeEditor.svelte";

  type Drive = BlendDocument["drives"][number];
  type Colour = [number, number, number];
  const { studio }: { studio: Studio } = $props();
  let open = $state(false);
  const drives = $derived(studio.documents.blend.drives);

  const write = (next: Drive[]) => studio.documents.edit((d) => ({ ...d, drives: next }));
  const edit = (number: number, change: Partial<Drive>) =>
    write(drives.map((drive, i) => (i === number ? { ...drive, ...change } : drive)));
  function add(): void {
    open = true;
    write([
      ...drives,
      {
        name: `Drive ${drives.length + 1}`,
        on: true,
        moves: "roughness",
        by: ofChannel(studio.selection.addressOfBase),
        toward: 0.2,
        colour: [1, 0.8, 0.5],
      },
    ]);
  }
  const PROPERTIES: { value: Drive["moves"]; name: string }[] = [
    { value: "roughness", name: "Roughness" },
    { value: "metallic", name: "Metal" },
    { value: "occlusion", name: "Occlusion" },
    { value: "emission", name: "Glow" },
    { value: "normal", name: "Normals, toward flat" },
  ];
</script>

<section class="border-line border-t px-3 py-2 text-sm" aria-label="Single properties">
  <header class="flex items-center justify-between">
    <button
      type="button"
      class="text-soft hover:text-ink"
      aria-expanded={open}
      title="Let a channel or a recipe move one property alone of the result"
      onclick={() => (open = !open)}
    >
      Single properties{drives.length ? ` (${drives.length})` : ""}
    </button>
    <IconButton
      small
      side="left"
      label="Drive one property by a recipe"
      disabled={drives.length >= 8}
      onclick={add}><Plus size={14} /></IconButton
    >
  </header>
  {#if open}
    {#each drives as drive, i (i)}
      <div class="bg-raised/60 mt-1.5 rounded-md p-2">
        <div class="flex items-center gap-1">
          <div class="min-w-0 flex-1">
            <Choice
              label="Property of {drive.name}"
              tip="What it moves"
              value={drive.moves}
              choices={PROPERTIES}
              onchange={(moves) => edit(i, { moves: moves as Drive["moves"] })}
            />
          </div>
          <IconButton
            small
            side="left"
            label="Remove {drive.name}"
            onclick={() => write(drives.filter((_, k) => k !== i))}
          >
            <Trash size={14} />
          </IconButton>
        </div>
        {#if drive.moves === "emission"}
          <ColourField
            label="Light"
            tip="The light that it gives"
            value={drive.colour as Colour}
            onchange={(colour) => edit(i, { colour })}
          />
        {:else if drive.moves !== "normal"}
          <Slider
            label="Where full"
            value={drive.toward}
            min={0}
            max={1}
            tip="What it is where the recipe is full"
            onchange={(toward) => edit(i, { toward })}
          />
        {/if}
        <RecipeEditor {studio} recipe={drive.by} onchange={(by) => edit(i, { by })} />
      </div>
    {/each}
  {/if}
</section>
