<script lang="ts">
  import { acceptsFiles } from "../ui/acceptsFiles";
  import type { Studio } from "../state/studio.svelte";
  import { MAIN, PLAIN, QUIET } from "../ui/button";
  import Slider from "../ui/Slider.svelte";

  const { studio }: { studio: Studio } = $props();

  const count = (value: number) => value.toLocaleString("en");
  const own = $derived({
    vertices: Number(studio.surface.facts["vertices"]),
    triangles: Number(studio.surface.facts["triangles"]),
  });
  const last = $derived(studio.levels.at(-1)?.triangles ?? own.triangles);
  let share = $state(0.4);
  const wanted = $derived(Math.max(4, Math.round(last * share)));
  const busy = $derived(
    studio.preparing.job?.state === "running" || studio.preparing.job?.state === "waiting",
  );
  const hasMap = $derived(Number(studio.surface.facts["uv_sets"]) > 0);
  let file = $state<HTMLInputElement>();

  function add(): void {
    const chosen = [...(file?.files ?? [])];
    if (chosen.length) void studio.preparing.planMesh("level", chosen);
    if (file) file.value = "";
  }
</script>

<ul class="space-y-0.5 text-sm">
  {#each [own, ...studio.levels] as level, i (i)}
    <li class="flex items-center gap-2">
      <button
        type="button"
        class="flex-1 rounded px-2 py-1 text-left {studio.selection.level === i
          ? 'bg-strong font-semibold'
          : 'hover:bg-raised'}"
        aria-pressed={studio.selection.level === i}
        onclick={() => (studio.selection.level = i)}>Level {i}{i === 0 ? ", full detail" : ""}</button
      >
      <span class="num text-soft">{count(level.triangles)} tri</span>
      {#if "old" in level && level.old}
        <button
          type="button"
          class="text-warn px-1 underline"
          disabled={busy}
          title="Made from an older version of the mesh. Make it again, with as many triangles; its own paint moves along."
          onclick={() => studio.preparing.plan({ kind: "level", triangles: level.triangles, again: i })}
          >old: make again</button
        >
      {/if}
      {#if i > 0}
        <button
          type="button"
          class={QUIET}
          title="Level 0 and this one side by side"
          onclick={() => {
            studio.selection.level = 0;
            studio.selection.compare = {
              kind: "level",
              lens: studio.selection.lens,
              snapshot: null,
              level: i,
              sideBySide: true,
              at: 0.5,
            };
          }}>Beside</button
        >
      {/if}
    </li>
  {/each}
</ul>
<p class="text-soft mt-1 text-xs">
  Paint is carried down after every stroke. A level can be touched up by hand; its own paint then lies over
  what is carried, and the channel shows a way back.
</p>
<div class="mt-2">
  <Slider
    label="Next level has"
    value={share}
    min={0.02}
    max={0.9}
    shown={100}
    digits={0}
    unit="%"
    tip="Of the last level's triangles"
    onchange={(v) => (share = v)}
  />
</div>
<div class="flex gap-2">
  <button
    type="button"
    class="{MAIN} flex-1"
    disabled={busy}
    onclick={() => studio.preparing.plan({ kind: "level", triangles: wanted, again: null })}
    >Make: {count(wanted)} tri</button
  >
  <button type="button" class={PLAIN} disabled={busy} onclick={() => file?.click()}>From a file</button>
</div>
{#if studio.levels.length}
  <button type="button" class="{QUIET} mt-1" disabled={busy} onclick={() => studio.preparing.removeLevel()}
    >Remove level {studio.levels.length}</button
  >
{/if}
<input
  bind:this={file}
  type="file"
  multiple
  use:acceptsFiles={["meshes", "parts"]}
  class="hidden"
  aria-label="Level file"
  onchange={add}
/>

<h3 class="text-soft mt-4 mb-1 text-sm">Map for splat textures</h3>
{#if hasMap}
  <p class="text-soft text-sm">The mesh has UVs: add a channel set on a map beside the set's name.</p>
{:else}
  <p class="text-soft text-sm">The mesh has no UVs, so no channel set can lie on a map.</p>
{/if}
<button
  type="button"
  class="{PLAIN} mt-1"
  disabled={busy}
  title="New charts and a new first UV set"
  onclick={() => studio.preparing.plan({ kind: "unwrap" })}>{hasMap ? "Unwrap anew" : "Unwrap"}</button
>
