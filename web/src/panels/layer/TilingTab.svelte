<!-- How a material lies on the surface. -->
<script lang="ts">
  import { ingredients } from "../../state/ingredients";
  import type { Studio } from "../../state/studio.svelte";
  import type { Layer, TileMapping } from "../../state/types";
  import Choice from "../../ui/Choice.svelte";
  import Segmented from "../../ui/Segmented.svelte";
  import Slider from "../../ui/Slider.svelte";
  import Toggle from "../../ui/Toggle.svelte";

  /** id: of the layer, or null for the ground. */
  const { studio, mapping, id }: { studio: Studio; mapping: TileMapping; id: string | null } = $props();

  const uvSets = $derived(Number(studio.surface.facts["uv_sets"]));

  function map(change: Partial<TileMapping>): void {
    if (id) studio.documents.editLayer(id, { mapping: { ...mapping, ...change } } as Partial<Layer>);
    else {
      studio.documents.edit((d) => ({ ...d, ground: { ...d.ground, mapping: { ...mapping, ...change } } }));
    }
  }
</script>

<Segmented
  label="Projection"
  side="left"
  value={mapping.projection}
  onchange={(projection) => map({ projection })}
  choices={[
    {
      value: "triplanar",
      name: "Triplanar",
      about: "Projected along the three axes: 6 samples a pixel, no UVs needed",
    },
    { value: "planar", name: "Planar", about: "Projected along one axis: 2 samples a pixel" },
    {
      value: "uv",
      name: "UV",
      about: uvSets ? "By a UV set: 2 samples a pixel" : "This surface has no UVs: one colour will cover it",
    },
  ]}
/>
<div class="h-1.5"></div>
{#if mapping.projection === "planar"}
  <Segmented
    label="Along the axis"
    side="left"
    value={mapping.axis}
    onchange={(axis) => map({ axis })}
    choices={[
      { value: "x", name: "Along X", about: "From the side" },
      { value: "y", name: "Along Y", about: "From above" },
      { value: "z", name: "Along Z", about: "From the front" },
    ]}
  />
{:else if mapping.projection === "uv" && uvSets > 1}
  <Choice
    label="UV set"
    tip="Which UVs the material follows"
    value={String(mapping.uv)}
    choices={Array.from({ length: uvSets }, (_, i) => ({ value: String(i), name: `UV set ${i + 1}` }))}
    onchange={(v) => map({ uv: Number(v) })}
  />
{/if}
<Slider
  label="Tile size"
  value={mapping.metres_per_tile}
  min={0.02}
  max={50}
  logarithmic
  length
  tip="Edge of one tile on the surface"
  onchange={(metres_per_tile) => map({ metres_per_tile })}
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
  onchange={(rotation) => map({ rotation })}
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
{#if mapping.projection === "triplanar"}
  <Slider
    label="Sharpness"
    value={mapping.sharpness}
    min={1}
    max={32}
    logarithmic
    digits={1}
    tip="How little the three projections overlap"
    onchange={(sharpness) => map({ sharpness })}
  />
{/if}
<div class="mt-2 space-y-1.5">
  <Toggle
    label="Break the tiling up"
    about="Shifts it from place to place, so that it does not show from afar: four times the samples"
    on={mapping.broken}
    onchange={(broken) => map({ broken })}
  />
  <Toggle
    label="Larger tiles far away"
    about="A second, larger tiling takes over with distance: twice the samples"
    on={!!mapping.far}
    onchange={(on) => map({ far: on ? (ingredients().far as never) : null })}
  />
</div>
{#if mapping.far}
  {@const far = mapping.far}
  <Slider
    label="Larger by"
    value={far.times}
    min={1.1}
    max={20}
    logarithmic
    digits={1}
    tip="How many times as large"
    onchange={(times) => map({ far: { ...far, times } })}
  />
  <Slider
    label="Begins at"
    value={far.begins}
    min={0}
    max={100}
    step={0.1}
    length
    tip="Metres from the eye where it starts to be seen"
    onchange={(begins) => map({ far: { ...far, begins } })}
  />
  <Slider
    label="All from"
    value={far.ends}
    min={0}
    max={200}
    step={0.1}
    length
    tip="Metres from the eye from where it is all that is seen"
    onchange={(ends) => map({ far: { ...far, ends } })}
  />
{/if}
<div class="mt-1">
  <Slider
    label="Parallax"
    value={mapping.parallax}
    min={0}
    max={0.3}
    step={0.001}
    length
    tip="Depth between the highest and the lowest, seen as depth: 7 samples more a projection"
    onchange={(parallax) => map({ parallax })}
  />
</div>
