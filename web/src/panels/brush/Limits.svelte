<!-- Where strokes and fills may go by height and by slope. -->
<script lang="ts">
  import type { Studio } from "../../state/studio.svelte";
  import Slider from "../../ui/Slider.svelte";
  import Toggle from "../../ui/Toggle.svelte";

  const { studio }: { studio: Studio } = $props();

  const low = $derived((studio.surface.facts["low"] as number[])[1]!);
  const tall = $derived((studio.surface.facts["size"] as number[])[1]!);
  const KINDS = $derived([
    { key: "height" as const, name: "heights", unit: "m", from: low, to: low + Math.max(tall, 0.01) },
    { key: "slope" as const, name: "slopes", unit: "°", from: 0, to: 90 },
  ]);
</script>

<div class="mt-2">
  {#each KINDS as { key, name, unit, from, to } (key)}
    {@const limit = studio.selection.protect[key]}
    <Toggle
      label="Only at some {name}"
      about="Elsewhere nothing changes, by stroke or fill"
      on={!!limit}
      onchange={(on) =>
        (studio.selection.protect[key] = on ? { low: from, high: to, soft: (to - from) / 20 } : null)}
    />
    {#if limit}
      {#each [["From", "low"], ["To", "high"]] as const as [label, end] (end)}
        <Slider
          {label}
          value={limit[end]}
          min={from}
          max={to}
          step={(to - from) / 200}
          {unit}
          digits={1}
          tip="Between these {name} things change"
          onchange={(v) =>
            (studio.selection.protect[key] = {
              ...limit,
              [end]: end === "low" ? Math.min(v, limit.high) : Math.max(v, limit.low),
            })}
        />
      {/each}
      <Slider
        label="Fades over"
        value={limit.soft ?? 0}
        min={0}
        max={(to - from) / 2}
        step={(to - from) / 200}
        {unit}
        digits={1}
        tip="How much more it takes until nothing changes"
        onchange={(soft) => (studio.selection.protect[key] = { ...limit, soft })}
      />
    {/if}
  {/each}
</div>
