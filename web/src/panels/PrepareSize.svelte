<!-- How large the surface is and how it stands; changed here, everything painted stays on it. -->
<script lang="ts">
  import type { Studio } from "../state/studio.svelte";
  import { PLAIN } from "../ui/button";
  import { shownLength, shownSize, typedQuantity, lengthUnit } from "../ui/quantity";
  import SizeFigure from "./SizeFigure.svelte";

  const { studio }: { studio: Studio } = $props();

  const size = $derived(studio.surface.facts["size"] as [number, number, number]);
  const longest = $derived(Math.max(...size));
  let busy = $state(false);
  let trouble = $state("");

  const FACTORS = [
    { factor: 0.001, name: "÷ 1000", about: "The file was in millimetres" },
    { factor: 0.01, name: "÷ 100", about: "The file was in centimetres" },
    { factor: 0.0254, name: "inch → m", about: "The file was in inches" },
    { factor: 100, name: "× 100", about: "It was made smaller by a hundred" },
    { factor: 1000, name: "× 1000", about: "It was made smaller by a thousand" },
  ];
  const TURNS = [
    { up: "z", name: "Z up", about: "Turn it so that what is Z now points up" },
    { up: "x", name: "X up", about: "Turn it so that what is X now points up" },
  ] as const;

  async function place(metres_per_unit: number, up: "x" | "y" | "z"): Promise<void> {
    busy = true;
    await studio.preparing.place({ metres_per_unit, up });
    busy = false;
  }

  function typed(event: Event): void {
    const field = event.currentTarget as HTMLInputElement;
    const wanted = typedQuantity(field.value, lengthUnit(longest).shown);
    trouble = wanted > 0 ? "" : `Not a length: ${field.value.slice(0, 20)}`;
    if (wanted > 0 && Math.abs(wanted / longest - 1) > 1e-6) void place(wanted / longest, "y");
    field.value = shownLength(longest);
  }
</script>

<SizeFigure {size} />
<p class="num mt-1 text-center">{shownSize(size)}</p>
<label class="mt-3 flex items-center justify-between gap-3 text-sm">
  <span class="text-soft">Longest side</span>
  <input
    class="bg-ash border-line num h-7 w-28 rounded border px-2 text-right"
    value={shownLength(longest)}
    disabled={busy}
    onchange={typed}
    onfocus={(e) => e.currentTarget.select()}
    onkeydown={(e) => e.key === "Enter" && e.currentTarget.blur()}
  />
</label>
{#if trouble}<p class="text-warn text-right text-xs" role="status">{trouble}</p>{/if}
<div class="mt-2 flex flex-wrap gap-1">
  {#each FACTORS as { factor, name, about } (factor)}
    <button
      type="button"
      class="{PLAIN} px-2"
      title={about}
      disabled={busy}
      onclick={() => place(factor, "y")}>{name}</button
    >
  {/each}
</div>
<h3 class="text-soft mt-3 text-sm">Stand it up</h3>
<div class="mt-1 flex gap-1">
  {#each TURNS as { up, name, about } (up)}
    <button type="button" class={PLAIN} title={about} disabled={busy} onclick={() => place(1, up)}
      >{name}</button
    >
  {/each}
</div>
<p class="text-soft mt-3 text-sm">
  Values, levels and history stay; it is one step, and can be undone. What was measured by height or slope
  should be run again.
</p>
