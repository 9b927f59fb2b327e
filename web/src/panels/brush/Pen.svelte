<!-- What the pen drives. -->
<script lang="ts">
  import type { Studio } from "../../state/studio.svelte";
  import CurveEditor from "../../ui/CurveEditor.svelte";
  import Segmented from "../../ui/Segmented.svelte";

  const { studio }: { studio: Studio } = $props();
  const brush = $derived(studio.brush.settings);
  const set: Studio["brush"]["set"] = (name, value) => studio.brush.set(name, value);

  const STRAIGHT: { points: [number, number][] } = { points: [[0, 0], [1, 1]] }; // prettier-ignore
  const DRIVES = [
    { value: "strength" as const, name: "Strength", about: "Strength" },
    { value: "radius" as const, name: "Radius", about: "Radius" },
    { value: "nothing" as const, name: "Nothing", about: "It is ignored" },
  ];
</script>

<div>
  <p class="text-soft mb-1 text-sm">Pen pressure drives</p>
  <Segmented
    label="Pen pressure drives"
    value={brush.pressure_drives}
    onchange={(v) => set("pressure_drives", v)}
    choices={DRIVES}
  />
  {#if brush.pressure_drives !== "nothing"}
    <div class="mt-1">
      <CurveEditor
        label="Response to pressure"
        curve={brush.pressure_curve ?? STRAIGHT}
        onchange={(curve) => set("pressure_curve", curve)}
      />
    </div>
  {/if}
  <p class="text-soft mt-2 mb-1 text-sm">Pen tilt drives</p>
  <Segmented
    label="Pen tilt drives"
    value={brush.tilt_drives}
    onchange={(v) => set("tilt_drives", v)}
    choices={DRIVES}
  />
  {#if brush.tilt_drives !== "nothing"}
    <div class="mt-1">
      <CurveEditor
        label="Response to tilt"
        curve={brush.tilt_curve ?? STRAIGHT}
        onchange={(curve) => set("tilt_curve", curve)}
      />
    </div>
  {/if}
</div>
