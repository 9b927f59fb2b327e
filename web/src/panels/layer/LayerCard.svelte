<!-- The open layer, or the ground: its mask, its tiling, its look. -->
<script lang="ts">
  import Copy from "@lucide/svelte/icons/copy";
  import CopyPlus from "@lucide/svelte/icons/copy-plus";
  import Eye from "@lucide/svelte/icons/eye";
  import EyeOff from "@lucide/svelte/icons/eye-off";
  import Focus from "@lucide/svelte/icons/focus";
  import Plus from "@lucide/svelte/icons/plus";
  import Trash from "@lucide/svelte/icons/trash-2";

  import { copy } from "../../state/copied.svelte";
  import { picturePath } from "../../state/server";
  import type { Studio } from "../../state/studio.svelte";
  import type { Layer } from "../../state/types";
  import Choice from "../../ui/Choice.svelte";
  import IconButton from "../../ui/IconButton.svelte";
  import Segmented from "../../ui/Segmented.svelte";
  import Slider from "../../ui/Slider.svelte";
  import MaterialUpload from "../MaterialUpload.svelte";
  import BorderCard from "./BorderCard.svelte";
  import GroupRow from "./GroupRow.svelte";
  import LookTab from "./LookTab.svelte";
  import MaskTab from "./MaskTab.svelte";
  import TilingTab from "./TilingTab.svelte";

  const { studio }: { studio: Studio } = $props();

  let uploading = $state(false);
  let tab = $state<"mask" | "border" | "tiling" | "look">("mask");

  const layer = $derived(studio.documents.blend.layers.find((l) => l.id === studio.selection.openLayer));
  const ground = $derived(studio.documents.blend.ground);
  /** What has a material: the ground, or a layer of a kind that lays one. */
  const laid = $derived(layer ? ("material" in layer ? layer : null) : ground);
  const tabs = $derived([
    ...(layer ? [{ value: "mask" as const, name: "Mask", about: "Where it lies" }] : []),
    ...(layer && layer.kind !== "tint"
      ? [{ value: "border" as const, name: "Border", about: "How it meets what lies under it" }]
      : []),
    ...(laid?.material ? [{ value: "tiling" as const, name: "Tiling", about: "How its material lies" }] : []),
    { value: "look" as const, name: "Look", about: "What it looks like there" },
  ]);
  const shown = $derived(tabs.some((t) => t.value === tab) ? tab : tabs[0]!.value);
  const fault = $derived(studio.documents.faultOf(layer?.id ?? "ground"));

  const NONE = "none";
  function chooseMaterial(id: string): void {
    const material = id === NONE ? null : id;
    const nameOf = (of: string | null | undefined) =>
      studio.documents.materials.find((m) => m.id === of)?.name;
    // A name that nobody gave goes with the material.
    const own = layer ?? ground;
    const given = own.name !== nameOf(laid?.material) && own.name !== "Ground";
    const name = (given || own === ground ? undefined : nameOf(material)) ?? own.name;
    if (layer) studio.documents.editLayer(layer.id, { material: id, name } as Partial<Layer>);
    else studio.documents.edit((d) => ({ ...d, ground: { ...d.ground, material } }));
  }

  function rename(name: string): void {
    const next = name.trim().slice(0, 60);
    if (!next) return;
    if (layer) studio.documents.editLayer(layer.id, { name: next });
    else studio.documents.edit((d) => ({ ...d, ground: { ...d.ground, name: next } }));
  }
</script>

<section class="px-3 pt-2 pb-3" aria-label="Settings of the open layer">
  <header class="flex items-center gap-1">
    <input
      class="hover:bg-strong focus:bg-strong min-w-0 flex-1 rounded bg-transparent px-1 py-0.5 font-semibold"
      aria-label="Name of the layer"
      title="Name of the layer"
      maxlength="60"
      value={layer?.name ?? ground.name}
      onchange={(e) => rename(e.currentTarget.value)}
      onkeydown={(e) => e.key === "Enter" && e.currentTarget.blur()}
    />
    <span class="num text-soft shrink-0">{layer?.kind ?? "ground"}</span>
  </header>
  {#if layer}
    <div class="mt-0.5 flex items-center">
      <IconButton
        small
        side="left"
        label={layer.visible ? `Hide ${layer.name}` : `Show ${layer.name}`}
        key="V"
        onclick={() => studio.documents.editLayer(layer.id, { visible: !layer.visible })}
      >
        {#if layer.visible}<Eye size={15} />{:else}<EyeOff size={15} />{/if}
      </IconButton>
      <IconButton
        small
        side="left"
        label="Look at {layer.name} alone"
        key="Shift+V"
        pressed={studio.selection.solo === layer.id}
        onclick={() => (studio.selection.solo = studio.selection.solo === layer.id ? null : layer.id)}
      >
        <Focus size={15} />
      </IconButton>
      <IconButton
        small
        side="left"
        label="{layer.name} once more"
        onclick={() => studio.documents.doubleLayer(layer.id)}
      >
        <CopyPlus size={15} />
      </IconButton>
      <IconButton
        small
        side="left"
        label="Copy {layer.name}, for another blend"
        onclick={() => copy({ layer: $state.snapshot(layer) as Layer })}
      >
        <Copy size={15} />
      </IconButton>
      <div class="mx-1 min-w-0 flex-1">
        <Choice
          label="Group of {layer.name}"
          tip="Layers of a group lie one on the other, fold to one slab and are hidden as one"
          value={layer.group ?? NONE}
          choices={[
            { value: NONE, name: "No group" },
            ...studio.documents.blend.groups.map((group) => ({ value: group.id, name: group.name })),
            { value: "new", name: "A new group" },
          ]}
          onchange={(v) => studio.documents.group(layer.id, v === NONE ? null : v)}
        />
      </div>
      <IconButton
        small
        label="Remove {layer.name}"
        side="left"
        onclick={() => studio.documents.removeLayer(layer.id)}
      >
        <Trash size={15} />
      </IconButton>
    </div>
  {/if}
  {#if layer}<GroupRow {studio} {layer} />{/if}
  {#if fault}
    <p class="text-warn mt-1 text-sm" role="alert">{fault.problem} It is left out. {fault.remedy}</p>
  {/if}

  {#if laid}
    <div class="mt-1.5 flex items-center gap-1">
      <div class="min-w-0 flex-1">
        <Choice
          label="Material"
          tip="The material of this layer"
          value={laid.material ?? NONE}
          choices={[
            ...(layer ? [] : [{ value: NONE, name: "No material: a colour" }]),
            ...studio.documents.materials.map((m) => ({
              value: m.id,
              name: m.name,
              picture: picturePath(m.id, m.revision),
            })),
          ]}
          onchange={chooseMaterial}
        />
      </div>
      <IconButton label="Add a material from your own maps" side="left" onclick={() => (uploading = true)}>
        <Plus size={16} />
      </IconButton>
    </div>
  {/if}

  {#if layer}
    <div class="mt-1">
      <Slider
        label="Opacity"
        value={layer.opacity}
        min={0}
        max={1}
        shown={100}
        digits={0}
        unit="%"
        tip="How much of the layer is let through at most"
        onchange={(opacity) => studio.documents.editLayer(layer.id, { opacity })}
      />
    </div>
  {/if}
  <div class="mt-1.5">
    <Segmented label="Of the layer" side="left" value={shown} onchange={(v) => (tab = v)} choices={tabs} />
  </div>
  <div class="mt-2">
    {#if shown === "mask" && layer}
      <MaskTab {studio} {layer} />
    {:else if shown === "border" && layer && layer.kind !== "tint"}
      <BorderCard {studio} {layer} />
    {:else if shown === "tiling" && laid}
      <TilingTab {studio} mapping={laid.mapping} id={layer?.id ?? null} />
    {:else}
      <LookTab {studio} entry={layer ?? ground} />
    {/if}
  </div>
</section>
<MaterialUpload
  project={studio.surface.project}
  bind:open={uploading}
  onadded={async (added) => {
    await studio.documents.reloadMaterials();
    chooseMaterial(added.id);
  }}
/>
