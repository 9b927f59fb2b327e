<!-- How a layer's border runs, shown with the artist's own two materials. -->
<script lang="ts">
  import { untrack } from "svelte";

  import type { Studio } from "../../state/studio.svelte";
  import type { Layer } from "../../state/types";
  import Slider from "../../ui/Slider.svelte";

  type Bordered = Exclude<Layer, { kind: "tint" }>;
  const { studio, layer }: { studio: Studio; layer: Bordered } = $props();

  const STYLES: { value: Bordered["border"]; name: string; about: string }[] = [
    { value: "plain", name: "Plain", about: "An even fade, as the mask says" },
    { value: "interlock", name: "Interlock", about: "The heights of the two decide: stones stay above sand" },
    { value: "noise", name: "By noise", about: "Noise decides: for materials without relief" },
  ];
  const edit = (change: Partial<Bordered>) => studio.documents.editLayer(layer.id, change as Partial<Layer>);
  /** The layer as the server knows it: pictures follow what is kept, not what is being dragged. */
  const kept = $derived(studio.documents.compiled.from.layers.find((l) => l.id === layer.id));
  // Another address for every document that is kept, so that no old picture is shown. When the hand rests: a drag
  // would ask for many.
  let version = $state(0);
  $effect(() => {
    void [studio.documents.compiled.from, layer.id];
    const timer = setTimeout(() => (version = untrack(() => version) + 1), untrack(() => version) ? 400 : 50);
    return () => clearTimeout(timer);
  });
  const picture = (style: string) =>
    `/api/surfaces/${studio.surface.id}/border?layer=${layer.id}&style=${style}&version=${version}`;
</script>

<p class="text-soft mb-1 text-sm">Against what lies under it</p>
<div class="mb-1.5 grid grid-cols-3 gap-1.5" role="radiogroup" aria-label="Border">
  {#each STYLES as style (style.value)}
    {@const chosen = layer.border === style.value}
    <button
      type="button"
      role="radio"
      aria-checked={chosen}
      title={style.about}
      class="overflow-hidden rounded-md text-xs outline-2 {chosen
        ? 'outline-accent text-ink'
        : 'text-soft hover:text-ink outline-transparent'} bg-ash"
      onclick={() => edit({ border: style.value })}
    >
      {#if layer.kind !== "film" && version && kept && !studio.documents.faultOf(layer.id)}
        <img src={picture(style.value)} alt="" class="bg-raised block h-11 w-full object-cover" />
      {:else if layer.kind !== "film"}
        <span class="bg-raised block h-11"></span>
      {/if}
      <span class="block py-1">{style.name}</span>
    </button>
  {/each}
</div>
{#if layer.border !== "plain"}
  <Slider
    label="Bite"
    value={layer.bite}
    min={-4}
    max={4}
    step={0.05}
    tip="How strongly heights decide: above 0 high places of this layer come first, below 0 it fills the low places"
    onchange={(bite) => edit({ bite })}
  />
  <Slider
    label="Softness"
    value={layer.softness}
    min={0.005}
    max={10}
    logarithmic
    digits={3}
    tip="Width of the border: small is a hard interlock, large a plain fade"
    onchange={(softness) => edit({ softness })}
  />
{/if}
{#if layer.border === "noise"}
  <Slider
    label="Noise size"
    value={layer.grain}
    min={0.002}
    max={10}
    logarithmic
    length
    tip="Size of the noise that the border follows"
    onchange={(grain) => edit({ grain })}
  />
{/if}
