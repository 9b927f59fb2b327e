<!-- How dabs follow each other, and which sites they leave alone. -->
<script lang="ts">
  import type { Studio } from "../../state/studio.svelte";
  import Slider from "../../ui/Slider.svelte";

  const { studio }: { studio: Studio } = $props();
  const brush = $derived(studio.brush.settings);
  const set: Studio["brush"]["set"] = (name, value) => studio.brush.set(name, value);
</script>

<div>
  {#if brush.coat === "many"}
    <Slider
      label="Flow"
      value={brush.flow}
      min={0.01}
      max={1}
      shown={100}
      digits={0}
      unit="%"
      tip="How much each dab adds"
      onchange={(v) => set("flow", v)}
    />
  {/if}
  <Slider
    label="Spacing"
    value={brush.spacing}
    min={0.02}
    max={2}
    shown={100}
    digits={0}
    unit="%"
    tip="Distance between dabs along the stroke, in radii"
    onchange={(v) => set("spacing", v)}
  />
  <Slider
    label="Steady"
    value={studio.brush.steady}
    min={0}
    max={1}
    shown={100}
    digits={0}
    unit="%"
    tip="The brush follows on a rope this long: calm lines from a shaky hand"
    onchange={(v) => studio.brush.setSteady(v)}
  />
  <Slider
    label="Facing limit"
    value={brush.facing_limit}
    min={0}
    max={180}
    step={1}
    digits={0}
    unit="°"
    tip="Sites turned away from the brush by more than this are left alone; 180 takes all"
    onchange={(v) => set("facing_limit", v)}
  />
</div>
