<!-- The group that a layer belongs to, where there is one; and the way into another. -->
<script lang="ts">
  import Eye from "@lucide/svelte/icons/eye";
  import EyeOff from "@lucide/svelte/icons/eye-off";

  import type { Studio } from "../../state/studio.svelte";
  import type { Layer } from "../../state/types";
  import Choice from "../../ui/Choice.svelte";
  import IconButton from "../../ui/IconButton.svelte";

  const { studio, layer }: { studio: Studio; layer: Layer } = $props();

  const groups = $derived(studio.documents.blend.groups);
  const own = $derived(groups.find((group) => group.id === layer.group));
  const NONE = "none";

  function rename(name: string): void {
    const next = name.trim().slice(0, 60);
    if (own && next) studio.documents.editGroup(own.id, { name: next });
  }
</script>

<div class="mt-1 flex items-center gap-1">
  <div class="w-28 min-w-0 {own ? 'shrink-0' : 'flex-1'}">
    <Choice
      label="Group of {layer.name}"
      tip="Layers of a group lie one on the other, fold to one slab and are hidden as one"
      value={layer.group ?? NONE}
      choices={[
        { value: NONE, name: "In no group" },
        ...groups.map((group) => ({ value: group.id, name: group.name })),
        { value: "new", name: "A new group" },
      ]}
      onchange={(v) => studio.documents.group(layer.id, v === NONE ? null : v)}
    />
  </div>
  {#if own}
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
  {/if}
</div>
