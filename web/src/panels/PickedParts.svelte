<!-- Parts picked by clicking them, with no groups made. -->
<script lang="ts">
  import type { Studio } from "../state/studio.svelte";
  import { PLAIN, QUIET } from "../ui/button";

  const { studio }: { studio: Studio } = $props();
  const picking = $derived(studio.selection.tool === "parts");
</script>

<div class="flex items-center gap-2 text-sm">
  <button
    type="button"
    class={PLAIN}
    aria-pressed={picking}
    title="Then click connected parts of the surface; once more lets one go. Esc gives the brush back."
    onclick={() => (studio.selection.tool = picking ? "brush" : "parts")}
    >{picking ? "Done picking" : "Pick parts"}</button
  >
  <span class="text-soft flex-1">
    {studio.selection.parts.size === 0
      ? "None picked"
      : studio.selection.parts.size === 1
        ? "1 part"
        : `${studio.selection.parts.size} parts`}
  </span>
  {#if studio.selection.parts.size}
    <button type="button" class={QUIET} onclick={() => (studio.selection.parts = new Map())}>Let go</button>
  {/if}
</div>
