<!-- One of the surface's UV sets, where it has several. -->
<script lang="ts">
  import Segmented from "../../../ui/Segmented.svelte";
  import type { PickProps } from "../picks";

  const { studio, setting, document, onchange }: PickProps = $props();
  const key = $derived(setting.key!);
  const count = $derived(Number(studio.surface.facts["uv_sets"]));
</script>

{#if count > 1}
  <div class="mt-1">
    <Segmented
      label={setting.title!}
      value={String(document[key])}
      onchange={(uv) => onchange({ [key]: Number(uv) })}
      choices={Array.from({ length: count }, (_, i) => ({
        value: String(i),
        name: `UV set ${i}`,
        about: setting.about!,
      }))}
    />
  </div>
{:else if count === 0}
  <p class="text-warn mt-1 text-sm">This surface has no UV set to lay it by: unwrap it under Prepare.</p>
{/if}
