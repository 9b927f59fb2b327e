<!-- The blend: the core as a strip, and beside it the open layer. -->
<script lang="ts">
  import Bands from "./Bands.svelte";
  import Plus from "@lucide/svelte/icons/plus";
  import { Popover } from "bits-ui";

  import { copied } from "../state/copied.svelte";
  import { ingredients } from "../state/ingredients";
  import { picturePath } from "../state/server";
  import { terrainOf } from "../state/sites";
  import type { Studio } from "../state/studio.svelte";
  import type { LayerKind } from "../state/types";
  import { MAIN, PLAIN } from "../ui/button";
  import IconButton from "../ui/IconButton.svelte";
  import DrivesCard from "./layer/DrivesCard.svelte";
  import LayerCard from "./layer/LayerCard.svelte";
  import LayerStrip from "./LayerStrip.svelte";

  const { studio }: { studio: Studio } = $props();

  let banding = $state(false);
  let adding = $state(false);
  const full = $derived(studio.documents.blend.layers.length >= 16);
</script>

<div class="flex h-full min-h-0">
  <section class="border-line flex w-[5.25rem] shrink-0 flex-col border-r px-2 pt-2 pb-2" aria-label="Layers">
    <header class="mb-1 flex h-8 items-center justify-between">
      <h2 class="text-sm font-semibold">Layers</h2>
      <IconButton
        small
        label="Add a layer on top"
        side="left"
        disabled={full}
        onclick={() => studio.documents.addLayer()}><Plus size={16} /></IconButton
      >
    </header>
    <LayerStrip {studio} />
    <Popover.Root bind:open={adding}>
      <Popover.Trigger
        class="text-soft hover:text-ink hover:bg-raised mt-1 h-7 rounded-md text-xs"
        title="A layer of another kind, or of a material chosen by its picture"
        disabled={full}>More kinds</Popover.Trigger
      >
      <Popover.Portal>
        <Popover.Content
          role="dialog"
          aria-label="Add a layer"
          side="left"
          align="end"
          class="bg-raised border-line z-50 max-h-[80vh] w-80 overflow-y-auto rounded-md border p-2 text-sm shadow-xl"
        >
          {#each ingredients().kinds as kind (kind.kind)}
            <button
              type="button"
              class="hover:bg-strong block w-full rounded px-2 py-1.5 text-left"
              onclick={() => {
                studio.documents.addLayer(kind.kind as LayerKind);
                adding = false;
              }}>{kind.title}<span class="text-soft block text-xs">{kind.about}</span></button
            >
          {/each}
          {#if copied.layer}
            <button
              type="button"
              class="hover:bg-strong block w-full rounded px-2 py-1.5 text-left"
              onclick={() => {
                if (copied.layer) void studio.documents.pasteLayer(copied.layer);
                adding = false;
              }}
              >Paste {copied.layer.name}<span class="text-soft block text-xs">The layer that was copied</span
              ></button
            >
          {/if}
          <p class="text-soft border-line mt-1 border-t px-2 pt-2 pb-1">A cover of</p>
          <div class="grid grid-cols-4 gap-1.5 px-1 pb-1">
            {#each studio.documents.materials as material (material.id)}
              <button
                type="button"
                class="hover:outline-accent rounded outline-2 outline-transparent"
                title={material.name}
                aria-label="A cover of {material.name}"
                onclick={() => {
                  studio.documents.addLayer("cover", material.id);
                  adding = false;
                }}
              >
                <img
                  src={picturePath(material.id, material.revision)}
                  alt=""
                  class="aspect-square w-full rounded object-cover"
                />
              </button>
            {/each}
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  </section>

  <div class="flex min-h-0 min-w-0 flex-1 flex-col overflow-y-auto">
    {#if studio.documents.blend.layers.length === 0}
      <div class="px-3 pt-3">
        <p class="text-soft text-sm">
          Only the ground so far. A layer lays a second material over it, as far as a channel says: paint
          shows then.
        </p>
        <div class="mt-2 flex flex-wrap gap-2">
          <button type="button" class={MAIN} onclick={() => studio.documents.addLayer()}
            >Add the first layer</button
          >
          {#if terrainOf(studio.surface) && !banding}
            <button type="button" class={PLAIN} onclick={() => (banding = true)}>Propose bands …</button>
          {/if}
        </div>
        {#if banding}<Bands {studio} ondone={() => (banding = false)} />{/if}
      </div>
    {/if}
    <LayerCard {studio} />
    <DrivesCard {studio} />
    <p class="num text-soft border-line mt-auto border-t px-3 py-2">
      {studio.documents.compiled.blend.samples} samples a pixel
    </p>
  </div>
</div>
