<!-- A setting with its name before it. -->
<script lang="ts">
  import type { Snippet } from "svelte";

  import type { Setting } from "../../state/types";
  import Tip from "../../ui/Tip.svelte";

  const { setting, children: inside }: { setting: Setting; children: Snippet } = $props();
</script>

<div class="grid grid-cols-[minmax(3.5rem,auto)_1fr] items-center gap-x-2 py-[0.1875rem]">
  <Tip text={setting.about!} side="right">
    {#snippet children(props)}<span {...props} tabindex="-1" class="text-soft cursor-help text-sm"
        >{setting.title}</span
      >{/snippet}
  </Tip>
  {@render inside()}
</div>
