<!-- Choosing faces by outline or click. -->
<script lang="ts">
  import type { Studio } from "../state/studio.svelte";
  import { PLAIN, QUIET } from "../ui/button";

  const { studio }: { studio: Studio } = $props();
</script>

<div class="flex items-center gap-2">
  <button
    type="button"
    class={PLAIN}
    aria-pressed={studio.selection.tool === "choose"}
    title="Outline faces or click them; with X held they are taken away"
    onclick={() => (studio.selection.tool = studio.selection.tool === "choose" ? "brush" : "choose")}
    >{studio.selection.tool === "choose" ? "Back to painting" : "Choose faces"}</button
  >
  <span class="num text-soft flex-1">{studio.selection.chosen.size.toLocaleString("en")} chosen</span>
  <button
    type="button"
    class={QUIET}
    disabled={studio.selection.chosen.size === 0}
    onclick={() => (studio.selection.chosen = new Set())}>None</button
  >
</div>
{#if studio.selection.tool === "choose"}
  <label class="text-soft flex items-center gap-2 text-sm" title="Off: an outline takes only what is seen">
    <input type="checkbox" class="accent-verdigris" bind:checked={studio.selection.choosesThrough} />
    Through: what lies behind, too
  </label>
{/if}
