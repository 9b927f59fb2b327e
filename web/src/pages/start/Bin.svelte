<!-- What was deleted, until it is gone. -->
<script lang="ts">
  import type { Projects } from "../../state/projects.svelte";
  import { PLAIN } from "../../ui/button";

  const { projects }: { projects: Projects } = $props();

  let asking = $state(false);
  const day = (moment: string) =>
    new Date(moment).toLocaleDateString("en", { day: "numeric", month: "long", year: "numeric" });
</script>

<div class="mx-auto max-w-3xl">
  <h1 class="text-xl font-semibold">Bin</h1>
  <p class="text-soft mt-1 text-sm">
    What is deleted stays here for {projects.bin?.days} days; then it is gone for good, and its room on the disk
    is free.
  </p>
  <ul class="divide-line border-line mt-5 divide-y border-y">
    {#each projects.bin?.entries ?? [] as entry (entry.id)}
      <li class="flex items-center gap-3 px-2 py-2.5">
        <span class="min-w-0 flex-1">
          <span class="block truncate font-medium">{entry.name}</span>
          <span class="text-soft text-sm">
            {entry.kind === "project" ? "Project" : `Surface of ${entry.home}`} · gone on {day(entry.gone_at)}
          </span>
        </span>
        <button type="button" class={PLAIN} onclick={() => projects.restore(entry.kind, entry.id)}>
          Put it back
        </button>
      </li>
    {:else}
      <li class="text-soft px-2 py-3 text-sm">The bin is empty.</li>
    {/each}
  </ul>
  {#if projects.bin?.entries.length}
    <div class="mt-5 flex items-center gap-3">
      {#if asking}
        <span class="text-sm">Delete everything in the bin for good?</span>
        <button
          type="button"
          class={PLAIN}
          onclick={() => {
            asking = false;
            void projects.emptyBin();
          }}>Empty it</button
        >
        <button type="button" class={PLAIN} onclick={() => (asking = false)}>Keep it</button>
      {:else}
        <button type="button" class={PLAIN} onclick={() => (asking = true)}>Empty the bin now</button>
      {/if}
    </div>
  {/if}
</div>
