<script lang="ts">
  import { acceptsFiles } from "../ui/acceptsFiles";
  import type { Studio } from "../state/studio.svelte";
  import { MAIN } from "../ui/button";

  const { studio }: { studio: Studio } = $props();

  const busy = $derived(
    studio.preparing.job?.state === "running" || studio.preparing.job?.state === "waiting",
  );
  let file = $state<HTMLInputElement>();

  function choose(): void {
    const chosen = [...(file?.files ?? [])];
    if (chosen.length) void studio.preparing.planMesh("replacement", chosen);
    if (file) file.value = "";
  }
</script>

<p class="text-soft text-sm">
  A new version of the mesh takes the place of this one. Every channel moves along, by the closest place on
  the old surface that faces the same way. You see how far that was before you keep it; undo brings the old
  mesh back.
</p>
<button type="button" class="{MAIN} mt-2 w-full" disabled={busy} onclick={() => file?.click()}
  >Choose the new mesh …</button
>
<input
  bind:this={file}
  type="file"
  multiple
  use:acceptsFiles={["meshes", "parts"]}
  class="hidden"
  aria-label="New mesh file"
  onchange={choose}
/>
