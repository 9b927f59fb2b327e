<!-- What import noticed, until it is put away; all-white colours can start empty with one click. -->
<script lang="ts">
  import X from "@lucide/svelte/icons/x";

  import { server } from "../state/server";
  import type { Studio } from "../state/studio.svelte";
  import { MAIN } from "../ui/button";

  const { studio }: { studio: Studio } = $props();

  const KEY = $derived(`ash.notes.${studio.surface.id}`);
  let away = $derived(localStorage.getItem(KEY) !== null);

  const notes = $derived((studio.surface.facts["notes"] as string[] | undefined) ?? []);
  const white = $derived(
    ((studio.surface.facts["all_white"] as string[] | undefined) ?? []).filter((id) => {
      const channels = studio.statistics?.channels[id];
      return channels?.every((c) => c.coverage > 0.999);
    }),
  );

  function putAway(): void {
    localStorage.setItem(KEY, "read");
    away = true;
    void server.PUT("/api/surfaces/{ident}/noted", { params: { path: { ident: studio.surface.id } } });
  }
</script>

<svelte:window
  onstorage={(e) => {
    // Put away in another window.
    if (e.key === KEY) away = e.newValue !== null;
  }}
/>

{#if !away && (notes.length > 0 || white.length > 0)}
  <div
    class="bg-panel border-line absolute top-12 left-3 max-w-sm rounded-lg border px-4 py-3 shadow-xl"
    role="note"
  >
    <button
      type="button"
      class="text-soft hover:text-ink absolute top-2 right-2"
      aria-label="Put the notes away"
      onclick={putAway}><X size={16} /></button
    >
    <h2 class="pr-6 font-medium">Noticed at import</h2>
    <ul class="text-soft mt-1 space-y-1 text-sm">
      {#each notes as note (note)}<li>{note}</li>{/each}
    </ul>
    {#each white as id (id)}
      <button
        type="button"
        class="{MAIN} mt-3"
        onclick={() => {
          studio.painting.startEmpty(id);
          putAway();
        }}
      >
        Start {studio.sets.find((s) => s.id === id)?.document.name} empty
      </button>
    {/each}
  </div>
{/if}
