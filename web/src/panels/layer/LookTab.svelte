<!-- What the ground or a layer looks like: what is changed about its material, or what its kind is made of. -->
<script lang="ts">
  import { ingredients } from "../../state/ingredients";
  import type { Studio } from "../../state/studio.svelte";
  import type { BlendDocument, FilmLayer, Finish, Layer, TintLayer } from "../../state/types";
  import ColourField from "../../ui/ColourField.svelte";
  import Slider from "../../ui/Slider.svelte";
  import Toggle from "../../ui/Toggle.svelte";
  import TintLook from "./TintLook.svelte";

  type Colour = [number, number, number];
  const { studio, entry }: { studio: Studio; entry: BlendDocument["ground"] | Layer } = $props();

  const layer = $derived("kind" in entry ? entry : null);
  const ground = $derived("kind" in entry ? null : entry);
  const finish = $derived("finish" in entry ? entry.finish : null);
  const film = $derived(layer?.kind === "film" ? (layer as FilmLayer) : null);

  function edit(change: Record<string, unknown>): void {
    if (layer) studio.documents.editLayer(layer.id, change as Partial<Layer>);
    else studio.documents.edit((d) => ({ ...d, ground: { ...d.ground, ...change } }));
  }
  const polish = (change: Partial<Finish>) => edit({ finish: { ...finish, ...change } });
  const strength = $derived(Math.max(...(finish?.emission ?? [0])));

  const FILM: { key: keyof FilmLayer; label: string; min?: number; max?: number; tip: string }[] = [
    {
      key: "stands",
      label: "Pools above",
      tip: "Weight of the mask beyond which it stands instead of wetting",
    },
    { key: "level", label: "Level", tip: "Height up to which low places are filled" },
    {
      key: "darken",
      label: "Darkens to",
      tip: "What colours are multiplied by where it is damp: 0.75 for water",
    },
    { key: "roughness", label: "Roughness", tip: "Of what it wets: 0.05 for water, more for ice and dust" },
    { key: "flatten", label: "Flattens", tip: "How far normals are flattened where it is damp" },
    {
      key: "cloudy",
      label: "Cloudy",
      tip: "How much of its colour is seen however shallow: 0 water, 1 dust",
    },
    { key: "deepens", label: "Deepens", tip: "How much more of its colour is seen where it is deep" },
  ];
</script>

{#if ground && !ground.material}
  <ColourField
    label="Colour"
    tip="Of the ground, which has no material"
    value={ground.colour as Colour}
    onchange={(colour) => edit({ colour })}
  />
  <Slider
    label="Roughness"
    value={ground.roughness}
    min={0}
    max={1}
    tip="Of the ground"
    onchange={(roughness) => edit({ roughness })}
  />
{:else if film}
  {#each FILM as { key, label, tip } (key)}
    <Slider
      {label}
      {tip}
      value={film[key] as number}
      min={0}
      max={1}
      onchange={(value) => edit({ [key]: value })}
    />
  {/each}
  <ColourField
    label="Colour"
    tip="Of what stands"
    value={film.colour as Colour}
    onchange={(colour) => edit({ colour })}
  />
  <Slider
    label="Lowered by"
    value={film.sink}
    min={0}
    max={0.3}
    step={0.001}
    length
    tip="How far the surface itself lies below the mesh where it stands"
    onchange={(sink) => edit({ sink })}
  />
  <div class="mt-1.5">
    <Toggle
      label="Ripples"
      about="Small waves on what stands; the button below the picture lets them move"
      on={!!film.ripples}
      onchange={(on) => edit({ ripples: on ? ingredients().ripples : null })}
    />
  </div>
  {#if film.ripples}
    {@const ripples = film.ripples}
    <Slider
      label="Size"
      value={ripples.metres}
      min={0.01}
      max={5}
      logarithmic
      length
      tip="From crest to crest"
      onchange={(metres) => edit({ ripples: { ...ripples, metres } })}
    />
    <Slider
      label="Speed"
      value={ripples.speed}
      min={0}
      max={2}
      tip="Metres a second"
      onchange={(speed) => edit({ ripples: { ...ripples, speed } })}
    />
    <Slider
      label="Steepness"
      value={ripples.strength}
      min={0}
      max={1}
      tip="How steep they are"
      onchange={(value) => edit({ ripples: { ...ripples, strength: value } })}
    />
  {/if}
{:else if layer?.kind === "tint"}
  <TintLook {studio} layer={layer as TintLayer} {edit} />
{:else if finish}
  {#if layer?.kind === "relief"}
    <Slider
      label="Depth"
      value={layer.depth}
      min={0}
      max={4}
      tip="How much of its heights is added to those below"
      onchange={(depth) => edit({ depth })}
    />
  {:else}
    <ColourField
      label="Tint"
      tip="Multiplies its colours"
      value={finish.tint as Colour}
      onchange={(tint) => polish({ tint })}
    />
  {/if}
  {#each [["roughness", "Roughness", "How much of the map's roughness is there"], ["normal", "Normals", "How strongly its normals show"], ["height", "Height", "How far its heights spread around their middle"]] as const as [key, label, tip] (key)}
    <Slider
      {label}
      {tip}
      value={finish[key]}
      min={0}
      max={4}
      onchange={(value) => polish({ [key]: value })}
    />
  {/each}
  <Slider
    label="Lift"
    value={finish.lift}
    min={-1}
    max={1}
    tip="Added to its heights: who stands above whom"
    onchange={(lift) => polish({ lift })}
  />
  {#if layer?.kind !== "relief"}
    <Slider
      label="Metal"
      value={finish.metallic}
      min={0}
      max={1}
      tip="How metallic it is"
      onchange={(metallic) => polish({ metallic })}
    />
    <ColourField
      label="Glow"
      tip="The light that it gives by itself; black for none"
      value={finish.emission.map((v) => (strength > 1 ? v / strength : v)) as Colour}
      onchange={(emission) => polish({ emission })}
    />
  {/if}
{/if}
