<!-- The blend as a drilled core: layers from the ground up, as thick as the share that each wins. -->
<script lang="ts">
  import Eye from "@lucide/svelte/icons/eye";
  import EyeOff from "@lucide/svelte/icons/eye-off";
  import GripVertical from "@lucide/svelte/icons/grip-vertical";
  import Plus from "@lucide/svelte/icons/plus";
  import { dragHandle, dragHandleZone, type DndEvent } from "svelte-dnd-action";

  import { picturePath } from "../state/server";
  import type { Studio } from "../state/studio.svelte";
  import type { CoverLayer } from "../state/types";
  import { MAIN } from "../ui/button";
  import IconButton from "../ui/IconButton.svelte";
  import LayerSettings from "./LayerSettings.svelte";

  const { studio }: { studio: Studio } = $props();

  const LEAST = 46;
  const ROOM = 150;

  interface Row {
    id: string;
    layer: CoverLayer;
  }

  // The topmost layer is drawn first; the document has the lowest first.
  const ordered = $derived(studio.documents.blend.layers.map((layer) => ({ id: layer.id, layer })).reverse());
  let dragged = $state<Row[] | null>(null);
  const rows = $derived(dragged ?? ordered);

  function share(id: string): number | null {
    const number = id === "ground" ? -1 : studio.documents.blend.layers.findIndex((l) => l.id === id);
    return studio.statistics?.shares[number] ?? null;
  }

  function thickness(id: string, visible = true): string {
    return `${Math.round(LEAST + (visible ? (share(id) ?? 0) * ROOM : 0))}px`;
  }

  const percent = (value: number | null) => (value === null ? "…" : `${Math.round(value * 100)} %`);

  function picture(material: string): string {
    const found = studio.documents.material(material);
    return found ? `url("${picturePath(found.id, found.revision)}")` : "none";
  }

  function dropped(event: CustomEvent<DndEvent<Row>>): void {
    dragged = null;
    studio.documents.orderLayers(event.detail.items.map((row) => row.id).reverse());
  }
</script>

{#snippet segment(material: string, hidden: boolean)}
  <span
    class="core-segment relative w-20 shrink-0 self-stretch bg-cover {hidden ? 'opacity-25' : ''}"
    style:background-image={picture(material)}
    aria-hidden="true"
  ></span>
{/snippet}

<section class="px-4 pt-3" aria-label="Layers">
  <header class="mb-2 flex h-8 items-center justify-between">
    <h2 class="font-semibold">Blend</h2>
    <span class="flex items-center gap-1">
      <span class="num text-soft">{studio.documents.compiled.blend.samples} samples a pixel</span>
      <IconButton label="Add a layer on top" side="left" onclick={() => studio.documents.addLayer()}
        ><Plus size={17} /></IconButton
      >
    </span>
  </header>

  <div class="core overflow-hidden">
    <div
      use:dragHandleZone={{ items: rows, flipDurationMs: 150, dropTargetStyle: {}, delayTouchStart: true }}
      onconsider={(e: CustomEvent<DndEvent<Row>>) => (dragged = e.detail.items)}
      onfinalize={dropped}
      aria-label="Layers, topmost first"
    >
      {#each rows as { id, layer } (id)}
        {@const chosen = studio.openLayer === id}
        <div class="bg-panel flex items-stretch gap-3" style:min-height={thickness(id, layer.visible)}>
          {@render segment(layer.material, !layer.visible)}
          <div class="border-line flex min-w-0 flex-1 items-start gap-1 border-b py-1.5">
            <button
              type="button"
              class="min-w-0 flex-1 text-left"
              aria-pressed={chosen}
              title="Open {layer.name} (Alt+arrows move it, V shows or hides it)"
              onclick={() => (studio.openLayer = id)}
              onkeydown={(e) => {
                if (e.altKey && (e.key === "ArrowUp" || e.key === "ArrowDown")) {
                  e.preventDefault();
                  e.stopPropagation();
                  studio.documents.moveLayer(id, e.key === "ArrowUp");
                }
              }}
            >
              <span class="block truncate {chosen ? 'text-accent font-semibold' : ''}">{layer.name}</span>
              <span class="num text-soft block truncate">
                {layer.visible ? `${layer.kind} · ${percent(share(id))}` : "hidden"}
              </span>
            </button>
            <IconButton
              small
              side="left"
              label={layer.visible ? `Hide ${layer.name}` : `Show ${layer.name}`}
              key={chosen ? "V" : undefined}
              onclick={() => studio.documents.editLayer(id, { visible: !layer.visible })}
            >
              {#if layer.visible}<Eye size={15} />{:else}<EyeOff size={15} />{/if}
            </IconButton>
            <span
              use:dragHandle
              aria-label="Move {layer.name}: drag, or press Enter and use the arrows"
              class="text-soft hover:text-ink grid size-6 place-items-center rounded"
            >
              <GripVertical size={15} />
            </span>
          </div>
        </div>
      {/each}
    </div>
    <div class="flex items-stretch gap-3" style:min-height={thickness("ground")}>
      {@render segment(studio.documents.blend.ground.material, false)}
      <button
        type="button"
        class="min-w-0 flex-1 self-start py-1.5 text-left"
        aria-pressed={studio.openLayer === "ground"}
        onclick={() => (studio.openLayer = "ground")}
      >
        <span class="block truncate {studio.openLayer === 'ground' ? 'text-accent font-semibold' : ''}"
          >{studio.documents.blend.ground.name}</span
        >
        <span class="num text-soft block">ground · {percent(share("ground"))}</span>
      </button>
    </div>
  </div>
  {#if studio.documents.blend.layers.length === 0}
    <p class="text-soft mt-3 text-sm">
      Only the ground so far. A layer lays a second material over it, as far as a channel says: paint shows
      then.
    </p>
    <button type="button" class="{MAIN} mt-2" onclick={() => studio.documents.addLayer()}
      >Add the first layer</button
    >
  {/if}
</section>
<LayerSettings {studio} />

<style>
  /* One light over the whole core makes a column of the segments. */
  .core {
    position: relative;
  }
  .core-segment::after {
    content: "";
    position: absolute;
    inset: 0;
    background: linear-gradient(
      to right,
      rgb(0 0 0 / 0.62),
      rgb(0 0 0 / 0.08) 28%,
      rgb(255 255 255 / 0.1) 42%,
      rgb(0 0 0 / 0.1) 62%,
      rgb(0 0 0 / 0.68)
    );
    border-top: 1px solid rgb(0 0 0 / 0.35);
  }
  .core > :global(div:first-child > div:first-child .core-segment) {
    border-radius: 50% 50% 0 0 / 10px 10px 0 0;
    overflow: hidden;
  }
  .core > :global(div:last-child > .core-segment) {
    border-radius: 0 0 50% 50% / 0 0 12px 12px;
    overflow: hidden;
  }
</style>
