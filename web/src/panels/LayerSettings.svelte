<!-- The open layer, or the ground: material, mask, interlock, mapping. -->
<script lang="ts">
  import Trash from "@lucide/svelte/icons/trash-2";
  import Plus from "@lucide/svelte/icons/plus";

  import { picturePath } from "../state/server";
  import type { Studio } from "../state/studio.svelte";
  import { LETTERS, type Mapping } from "../state/types";
  import Choice from "../ui/Choice.svelte";
  import IconButton from "../ui/IconButton.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import Slider from "../ui/Slider.svelte";
  import MaterialUpload from "./MaterialUpload.svelte";

  const { studio }: { studio: Studio } = $props();

  let uploading = $state(false);

  const layer = $derived(studio.documents.blend.layers.find((l) => l.id === studio.openLayer));
  const ground = $derived(layer ? null : studio.documents.blend.ground);
  const material = $derived(layer?.material ?? studio.documents.blend.ground.material);
  const mapping = $derived(layer?.mapping ?? studio.documents.blend.ground.mapping);
  const hasUv = $derived(Number(studio.surface.facts["uv_sets"]) > 0);

  const masks = $derived(
    studio.sets.flatMap((set, s) =>
      set.document.channels.map((channel, c) => ({
        value: `${s}/${c}`,
        name: `${studio.sets.length > 1 ? `${set.document.name} · ` : ""}${LETTERS[c]} · ${channel.name}`,
      })),
    ),
  );
  const mask = $derived(
    layer ? `${studio.sets.findIndex((s) => s.id === layer.mask.channel_set)}/${layer.mask.channel}` : "",
  );

  function chooseMaterial(id: string): void {
    if (layer) studio.documents.editLayer(layer.id, { material: id });
    else studio.documents.edit((d) => ({ ...d, ground: { ...d.ground, material: id } }));
  }

  function map(change: Partial<Mapping>): void {
    if (layer) studio.documents.editLayer(layer.id, { mapping: { ...mapping, ...change } });
    else
      studio.documents.edit((d) => ({ ...d, ground: { ...d.ground, mapping: { ...mapping, ...change } } }));
  }

  function rename(name: string): void {
    const next = name.trim().slice(0, 60);
    if (!next) return;
    if (layer) studio.documents.editLayer(layer.id, { name: next });
    else studio.documents.edit((d) => ({ ...d, ground: { ...d.ground, name: next } }));
  }

  function chooseMask(value: string): void {
    const [s, c] = value.split("/").map(Number) as [number, number];
    if (layer) {
      studio.documents.editLayer(layer.id, {
        mask: { kind: "channel", channel_set: studio.sets[s]!.id, channel: c },
      });
    }
  }
</script>

<section
  class="bg-raised/55 mx-3 mt-4 mb-4 rounded-lg px-3 pt-2 pb-3"
  aria-label="Settings of the open layer"
>
  <header class="flex items-center gap-2">
    <input
      class="hover:bg-strong focus:bg-strong min-w-0 flex-1 rounded bg-transparent px-1 py-0.5 font-semibold"
      aria-label="Name of the layer"
      title="Name of the layer"
      maxlength="60"
      value={layer?.name ?? ground?.name}
      onchange={(e) => rename(e.currentTarget.value)}
      onkeydown={(e) => e.key === "Enter" && e.currentTarget.blur()}
    />
    {#if layer}
      <IconButton
        small
        label="Remove {layer.name}"
        side="left"
        onclick={() => studio.documents.removeLayer(layer.id)}
      >
        <Trash size={15} />
      </IconButton>
    {/if}
  </header>

  <div class="mt-2 flex items-center gap-1">
    <div class="min-w-0 flex-1">
      <Choice
        label="Material"
        tip="The material of this layer"
        value={material}
        choices={studio.documents.materials.map((m) => ({
          value: m.id,
          name: m.name,
          picture: picturePath(m.id, m.revision),
        }))}
        onchange={chooseMaterial}
      />
    </div>
    <IconButton label="Add a material from your own maps" side="left" onclick={() => (uploading = true)}>
      <Plus size={16} />
    </IconButton>
  </div>

  {#if layer}
    <div class="mt-2 flex items-center gap-2">
      <span class="text-soft w-14 shrink-0 text-sm">Mask</span>
      <div class="min-w-0 flex-1">
        <Choice
          label="Mask"
          tip="The channel whose weights decide where this layer lies"
          value={mask}
          choices={masks}
          onchange={chooseMask}
        />
      </div>
    </div>
    <div class="mt-2">
      <Slider
        label="Opacity"
        value={layer.opacity}
        min={0}
        max={1}
        shown={100}
        digits={0}
        unit="%"
        tip="How much of the layer is let through at most"
        onchange={(v) => studio.documents.editLayer(layer.id, { opacity: v })}
      />
      <Slider
        label="Bite"
        value={layer.bite}
        min={-4}
        max={4}
        step={0.05}
        tip="How strongly heights decide: above 0 high places of this layer come first, below 0 it fills the low places"
        onchange={(v) => studio.documents.editLayer(layer.id, { bite: v })}
      />
      <Slider
        label="Softness"
        value={layer.softness}
        min={0.005}
        max={10}
        logarithmic
        digits={3}
        tip="Width of the border: small is a hard interlock, large a plain fade"
        onchange={(v) => studio.documents.editLayer(layer.id, { softness: v })}
      />
    </div>
  {/if}

  <h3 class="text-soft mt-2 mb-1 text-xs font-semibold">Tiling</h3>
  <Segmented
    label="Projection"
    side="left"
    value={mapping.projection}
    onchange={(v) => map({ projection: v })}
    choices={[
      {
        value: "triplanar",
        name: "Triplanar",
        about: "Projected along the three axes: 6 samples a pixel, no UVs needed",
      },
      {
        value: "uv",
        name: "UV",
        about: hasUv
          ? "By the first UV set: 2 samples a pixel"
          : "This surface has no UVs: one colour will cover it",
      },
    ]}
  />
  <div class="h-2"></div>
  <Slider
    label="Tile size"
    value={mapping.metres_per_tile}
    min={0.02}
    max={50}
    logarithmic
    length
    tip="Edge of one tile on the surface"
    onchange={(v) => map({ metres_per_tile: v })}
  />
  <Slider
    label="Rotation"
    value={mapping.rotation}
    min={-180}
    max={180}
    step={1}
    digits={0}
    unit="°"
    tip="Turns the tiles"
    onchange={(v) => map({ rotation: v })}
  />
  {#each [0, 1] as axis (axis)}
    <Slider
      label={axis === 0 ? "Offset across" : "Offset down"}
      value={mapping.offset[axis as 0 | 1]}
      min={-mapping.metres_per_tile}
      max={mapping.metres_per_tile}
      length
      tip="Shifts the tiles"
      onchange={(v) => map({ offset: axis === 0 ? [v, mapping.offset[1]] : [mapping.offset[0], v] })}
    />
  {/each}
</section>
<MaterialUpload
  project={studio.surface.project}
  bind:open={uploading}
  onadded={async (added) => {
    await studio.documents.reloadMaterials();
    chooseMaterial(added.id);
  }}
/>
