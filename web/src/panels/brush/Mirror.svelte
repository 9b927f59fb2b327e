<!-- Dabs repeated across planes and round an axis. -->
<script lang="ts">
  import type { Studio } from "../../state/studio.svelte";
  import type { Brush } from "../../state/types";
  import { PLAIN } from "../../ui/button";
  import Segmented from "../../ui/Segmented.svelte";
  import Slider from "../../ui/Slider.svelte";

  const { studio }: { studio: Studio } = $props();
  const brush = $derived(studio.brush.settings);
  const set: Studio["brush"]["set"] = (name, value) => studio.brush.set(name, value);

  type Symmetry = NonNullable<Brush["symmetry"]>;
  const symmetry = $derived<Symmetry>(
    brush.symmetry ?? { mirror: [], turns: 1, axis: "y", origin: [0, 0, 0] },
  );
  function setSymmetry(change: Partial<Symmetry>): void {
    const next = { ...symmetry, ...change };
    set("symmetry", (next.mirror?.length ?? 0) === 0 && (next.turns ?? 1) === 1 ? null : next);
  }
  function flipMirror(axis: "x" | "y" | "z"): void {
    const now = symmetry.mirror ?? [];
    setSymmetry({ mirror: now.includes(axis) ? now.filter((a) => a !== axis) : [...now, axis] });
  }
  const middle = $derived.by<[number, number, number]>(() => {
    const low = studio.surface.facts["low"] as [number, number, number];
    const size = studio.surface.facts["size"] as [number, number, number];
    return [0, 1, 2].map((i) => low[i]! + size[i]! / 2) as [number, number, number];
  });
</script>

<div>
  <p class="text-soft mb-1 text-sm">Mirror across</p>
  <div class="flex gap-1">
    {#each ["x", "y", "z"] as const as axis (axis)}
      <button
        type="button"
        class="h-7 flex-1 rounded-md text-sm {symmetry.mirror?.includes(axis)
          ? 'bg-strong text-ink'
          : 'bg-ash text-soft hover:text-ink'}"
        aria-pressed={symmetry.mirror?.includes(axis) ?? false}
        title="Every dab is repeated on the other side of the {axis.toUpperCase()} plane"
        onclick={() => flipMirror(axis)}>{axis.toUpperCase()}</button
      >
    {/each}
  </div>
  <Slider
    label="Radial copies"
    value={symmetry.turns ?? 1}
    min={1}
    max={16}
    step={1}
    digits={0}
    tip="Repeats every dab round the {symmetry.axis?.toUpperCase()} axis"
    onchange={(v) => setSymmetry({ turns: Math.round(v) })}
  />
  {#if brush.symmetry}
    <div class="mt-1 flex items-center gap-2">
      <div class="flex-1">
        <Segmented
          label="Axis of the copies"
          value={symmetry.axis ?? "y"}
          onchange={(v) => setSymmetry({ axis: v })}
          choices={(["x", "y", "z"] as const).map((axis) => ({
            value: axis,
            name: axis.toUpperCase(),
            about: `Round the ${axis.toUpperCase()} axis`,
          }))}
        />
      </div>
      <button
        type="button"
        class={PLAIN}
        title="Planes and axis go through the middle of the surface, or through the world's origin"
        onclick={() => setSymmetry({ origin: symmetry.origin?.some((v) => v !== 0) ? [0, 0, 0] : middle })}
        >{symmetry.origin?.some((v) => v !== 0) ? "Middle" : "Origin"}</button
      >
    </div>
  {/if}
</div>
