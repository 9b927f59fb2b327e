<!-- The group that a layer belongs to, where there is one. -->
<script lang="ts">
  import Eye from "@lucide/svelte/icons/eye";
  import EyeOff from "@lucide/svelte/icons/eye-off";

  import type { Studio } from "../../state/studio.svelte";
  import type { Layer } from "../../state/types";
  import IconButton from "../../ui/IconButton.svelte";

  const { studio, layer }: { studio: Studio; layer: Layer } = $props();

  const own = $derived(studio.documents.blend.groups.find((group) => group.id === layer.group));

  function rename(name: string): void {
    const next = name.trim().slice(0, 60);
    if (own && next) studio.documents.editGroup(own.id, { name: next });
  }
</script>

{#if own}
  <div class="mt-1 flex items-center gap-1">
    <span class="text-soft pl-1 text-sm">in</span>
    <input
      class="hover:bg-strong focus:bg-strong min-w-0 flex-1 rounded bg-transparent px-1 py-0.5 text-sm"
      aria-label="Name of the group"
      title="Name of the group"
      maxlength="60"
      value={own.name}
      onchange={(e) => rename(e.currentTarget.value)}
      onkeydown={(e) => e.key === "Enter" && e.currentTarget.blur()}
    />
    <IconButton
      small
      side="left"
      label={own.visible ? `Hide ${own.name}` : `Show ${own.name}`}
      onclick={() => studio.documents.editGroup(own.id, { visible: !own.visible })}
    >
      {#if own.visible}<Eye size={15} />{:else}<EyeOff size={15} />{/if}
    </IconButton>
  </div>
{/if}
