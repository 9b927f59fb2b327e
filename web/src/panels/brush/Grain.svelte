<!-- Breaking the brush up by noise. -->
<script lang="ts">
  import type { Studio } from "../../state/studio.svelte";
  import Slider from "../../ui/Slider.svelte";

  const { studio }: { studio: Studio } = $props();
  const brush = $derived(studio.brush.settings);
  const first = $derived(studio.surface.first.noise);
  const set: Studio["brush"]["set"] = (name, value) => studio.brush.set(name, value);
</script>

<div>
  <Slider
    label="Noise"
    value={brush.noise?.amount ?? 0}
    min={0}
    max={1}
    shown={100}
    digits={0}
    unit="%"
    tip="Breaks the brush up by noise that lies on the surface"
    onchange={(v) => set("noise", { metres: first, seed: 0, ...(brush.noise ?? {}), amount: v })}
  />
  {#if (brush.noise?.amount ?? 0) > 0}
    <Slider
      label="Noise size"
      value={brush.noise?.metres ?? first}
      min={first / 100}
      max={first * 20}
      logarithmic
      length
      tip="Size of the noise's features"
      onchange={(v) => set("noise", { seed: 0, amount: 0.5, ...(brush.noise ?? {}), metres: v })}
    />
  {/if}
</div>
