<!-- What would go out otherwise in a moment, or after one click: said before it goes out. -->
<script lang="ts">
  import type { Studio } from "../state/studio.svelte";

  const { studio }: { studio: Studio } = $props();

  const measured = $derived(studio.surveys.underWay);
  const stale = $derived(studio.surveys.stale);
  const list = (channels: { name: string }[]) => channels.map(({ name }) => name).join(", ");
</script>

{#if measured.length}
  <p class="border-warn mb-3 rounded-md border px-3 py-2 text-sm" role="status">
    {list(measured)}: still being measured. What goes out now is how it was before.
  </p>
{/if}
{#if stale.length}
  <p class="border-warn mb-3 rounded-md border px-3 py-2 text-sm" role="status">
    {list(stale)}: what {stale.length === 1 ? "it is" : "they are"} made from has changed since. Run it again under
    Undercoat, or let it go out as it is.
  </p>
{/if}
