<!-- What a term begins with: the settings of its own. -->
<script lang="ts">
  import { bringPicture } from "../../state/pictures";
  import { picturePath } from "../../state/server";
  import type { Studio } from "../../state/studio.svelte";
  import type { Source } from "../../state/types";
  import { PLAIN } from "../../ui/button";
  import Choice from "../../ui/Choice.svelte";
  import Segmented from "../../ui/Segmented.svelte";
  import Slider from "../../ui/Slider.svelte";
  import MeasureSettings from "./MeasureSettings.svelte";

  interface Props {
    studio: Studio;
    source: Source;
    onchange: (source: Source) => void;
  }
  const { studio, source, onchange }: Props = $props();

  const channels = $derived(studio.channelChoices);
  const uvSets = $derived(Number(studio.surface.facts["uv_sets"]));

  async function bring(): Promise<void> {
    const picture = await bringPicture(studio);
    if (picture && source.kind === "picture") onchange({ ...source, picture });
  }
</script>

{#if source.kind === "channel"}
  <Choice
    label="Channel of the term"
    tip="The channel whose weights it takes"
    value="{source.channel_set}/{source.channel}"
    choices={channels}
    onchange={(v) => {
      const [channel_set, channel] = v.split("/");
      onchange({ ...source, channel_set: channel_set!, channel: Number(channel) });
    }}
  />
{:else if source.kind === "constant"}
  <Slider
    label="Weight"
    value={source.value}
    min={0}
    max={1}
    tip="The same everywhere"
    onchange={(value) => onchange({ ...source, value })}
  />
{:else if source.kind === "noise"}
  <Segmented
    label="Form of the noise"
    value={source.form}
    onchange={(form) => onchange({ ...source, form })}
    choices={[
      { value: "gradient", name: "Clouds", about: "Soft patches" },
      { value: "ridged", name: "Ridges", about: "Sharp crests" },
      { value: "cellular", name: "Cells", about: "Pebbles and cells" },
    ]}
  />
  <div class="h-1"></div>
  <Slider
    label="Size"
    value={source.metres}
    min={0.005}
    max={50}
    logarithmic
    length
    tip="Size of its largest features"
    onchange={(metres) => onchange({ ...source, metres })}
  />
  <Slider
    label="Detail"
    value={source.octaves}
    min={1}
    max={8}
    step={1}
    digits={0}
    tip="How many finer layers, each of half the size"
    onchange={(octaves) => onchange({ ...source, octaves: Math.round(octaves) })}
  />
  <Slider
    label="Contrast"
    value={source.contrast}
    min={0}
    max={8}
    step={0.05}
    tip="Around the middle"
    onchange={(contrast) => onchange({ ...source, contrast })}
  />
  <Slider
    label="Seed"
    value={source.seed}
    min={0}
    max={99}
    step={1}
    digits={0}
    tip="Another number, another pattern"
    onchange={(seed) => onchange({ ...source, seed: Math.round(seed) })}
  />
{:else if source.kind === "material"}
  <Choice
    label="Material of the term"
    tip="Whose height map it takes"
    value={source.material}
    choices={studio.documents.materials.map((m) => ({
      value: m.id,
      name: m.name,
      picture: picturePath(m.id, m.revision),
    }))}
    onchange={(material) => onchange({ ...source, material })}
  />
  <div class="h-1"></div>
  <Slider
    label="Tile size"
    value={source.mapping.metres_per_tile}
    min={0.02}
    max={50}
    logarithmic
    length
    tip="Edge of one tile; as large as the layer's it costs no samples more"
    onchange={(metres_per_tile) => onchange({ ...source, mapping: { ...source.mapping, metres_per_tile } })}
  />
  <Slider
    label="Contrast"
    value={source.contrast}
    min={0}
    max={8}
    step={0.05}
    tip="Around the middle of the heights"
    onchange={(contrast) => onchange({ ...source, contrast })}
  />
  <Slider
    label="Lift"
    value={source.offset}
    min={-1}
    max={1}
    tip="Added to the heights"
    onchange={(offset) => onchange({ ...source, offset })}
  />
{:else if source.kind === "picture"}
  <div class="flex gap-1">
    <div class="min-w-0 flex-1">
      <Choice
        label="Picture of the term"
        tip="How light it is: 0 black, 1 white. The brush's stencils are the same pictures"
        value={source.picture}
        choices={studio.documents.stencils.map((s) => ({
          value: s.id,
          name: s.name,
          picture: `/api/stencils/${s.id}/image`,
        }))}
        onchange={(picture) => onchange({ ...source, picture })}
      />
    </div>
    <button type="button" class={PLAIN} title="Bring a PNG or JPEG of your own" onclick={bring}>Add</button>
  </div>
  {#if uvSets > 1}
    <div class="mt-1">
      <Segmented
        label="UV set of the picture"
        value={String(source.uv)}
        onchange={(uv) => onchange({ ...source, uv: Number(uv) })}
        choices={Array.from({ length: uvSets }, (_, i) => ({
          value: String(i),
          name: `UV set ${i}`,
          about: "Lays the picture",
        }))}
      />
    </div>
  {:else if uvSets === 0}
    <p class="text-warn mt-1 text-sm">This surface has no UV set to lay it by: unwrap it under Prepare.</p>
  {/if}
{:else}
  <MeasureSettings {studio} {source} {onchange} />
{/if}
