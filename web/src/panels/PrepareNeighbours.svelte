<!-- Other surfaces of the project that stand around this one, seen in the Blend lens. -->
<script lang="ts">
  import Eye from "@lucide/svelte/icons/eye";
  import X from "@lucide/svelte/icons/x";

  import type { Studio } from "../state/studio.svelte";
  import type { Neighbour } from "../state/types";
  import { PLAIN } from "../ui/button";
  import IconButton from "../ui/IconButton.svelte";
  import Slider from "../ui/Slider.svelte";

  const { studio }: { studio: Studio } = $props();

  const around = $derived(studio.around);
  const size = $derived(studio.surface.facts["size"] as [number, number, number]);
  const reach = $derived(Math.ceil(Math.max(size[0], size[2])));
  const rise = $derived(Math.max(2, Math.ceil(reach / 50)));

  function change(number: number, edit: Partial<Neighbour>): void {
    around.write(around.neighbours.map((n, i) => (i === number ? { ...n, own: false, ...edit } : n)));
  }

  function add(event: Event): void {
    const field = event.currentTarget as HTMLSelectElement;
    const [x, , z] = studio.eye.middle() ?? [0, 0, 0];
    const round = (metres: number) => Math.round(metres * 100) / 100;
    if (field.value)
      around.write([
        ...around.neighbours,
        { surface: field.value, x: round(x), z: round(z), above: 0, turn: 0, own: false },
      ]);
    field.value = "";
  }
</script>

<p class="text-soft text-sm">
  They show the place around this surface, each by its own blend. Nothing is painted on them here.
</p>
{#each around.neighbours as neighbour, number (number)}
  {@const name = around.others[neighbour.surface] ?? "…"}
  <fieldset class="border-line mt-3 rounded-lg border px-3 py-2">
    <legend class="sr-only">{name}</legend>
    <div class="flex items-center gap-1">
      <span class="min-w-0 flex-1 truncate text-sm font-semibold">{name}</span>
      <IconButton label="Look at {name}" onclick={() => studio.eye.visit(number)}
        ><Eye size={14} /></IconButton
      >
      <IconButton
        label="Take {name} away"
        onclick={() => around.write(around.neighbours.filter((_, i) => i !== number))}
      >
        <X size={14} />
      </IconButton>
    </div>
    <button
      type="button"
      class="{PLAIN} mt-1 mb-1 w-full"
      aria-pressed={neighbour.own}
      title="Stand it where its own file has it: for parts that were modelled in one place"
      onclick={() => change(number, { x: 0, z: 0, above: 0, turn: 0, own: true })}>At its own origin</button
    >
    <Slider
      label="Across (X)"
      tip="Where its origin stands along X"
      value={neighbour.x}
      min={-reach}
      max={reach}
      step={0.01}
      unit="m"
      onchange={(x) => change(number, { x })}
    />
    <Slider
      label="Deep (Z)"
      tip="Where its origin stands along Z"
      value={neighbour.z}
      min={-reach}
      max={reach}
      step={0.01}
      unit="m"
      onchange={(z) => change(number, { z })}
    />
    <Slider
      label="Above ground"
      tip="From the surface there, or from zero beside it"
      value={neighbour.above}
      min={-rise}
      max={rise}
      step={0.01}
      unit="m"
      onchange={(above) => change(number, { above })}
    />
    <Slider
      label="Turned"
      tip="About up"
      value={neighbour.turn}
      min={-180}
      max={180}
      step={1}
      digits={0}
      unit="°"
      onchange={(turn) => change(number, { turn })}
    />
  </fieldset>
{/each}
{#if Object.keys(around.others).length}
  <select
    class="bg-ash border-line mt-3 h-8 w-full rounded border px-2 text-sm"
    aria-label="Add a neighbour"
    onchange={add}
  >
    <option value="">Add a surface of this project …</option>
    {#each Object.entries(around.others) as [id, name] (id)}
      <option value={id}>{name}</option>
    {/each}
  </select>
{:else}
  <p class="mt-2 text-sm">This project has no other surface yet: drop a mesh to bring one in.</p>
{/if}
