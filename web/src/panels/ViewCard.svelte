<!-- How one looks: from where, with what beside, and views that are kept. -->
<script lang="ts">
  import Eye from "@lucide/svelte/icons/eye";
  import X from "@lucide/svelte/icons/x";
  import { Popover } from "bits-ui";

  import { Bookmarks } from "../state/bookmarks.svelte";
  import type { Studio } from "../state/studio.svelte";
  import NameField from "../ui/NameField.svelte";
  import Toggle from "../ui/Toggle.svelte";

  const { studio }: { studio: Studio } = $props();
  const bookmarks = $derived(new Bookmarks(studio));
  let open = $state(false);
  let naming = $state(false);
  let straight = $state(false);

  const AIDS = [
    { key: "wires", label: "Edges", about: "The mesh's edges over any lens (Shift+W)" },
    { key: "lines", label: "Lines on the ground", about: "A power of ten apart, in metres" },
    { key: "figure", label: "A figure and a cube", about: "Somebody of 1.8 m and a cube of 1 m" },
  ] as const;
  const button = "bg-ash hover:bg-strong w-full rounded px-2 py-1.5 text-left";
</script>

<Popover.Root
  bind:open={
    () => open,
    (v) => {
      open = v;
      straight = studio.eye.stand()?.straight ?? false;
      if (v) void bookmarks.load();
    }
  }
>
  <Popover.Trigger
    class="text-soft hover:bg-strong hover:text-ink grid size-8 place-items-center rounded"
    aria-label="View"
    title="Views, edges, a figure for scale, pictures"
  >
    <Eye size={16} />
  </Popover.Trigger>
  <Popover.Portal>
    <Popover.Content
      role="dialog"
      aria-label="View"
      side="top"
      sideOffset={8}
      class="bg-raised border-line z-50 flex max-h-[calc(100vh-9rem)] w-64 flex-col gap-1.5 overflow-y-auto rounded-md border p-3 text-sm shadow-xl"
    >
      {#each AIDS as { key, label, about } (key)}
        <Toggle
          {label}
          {about}
          on={studio.selection.aids[key]}
          onchange={(on) => (studio.selection.aids = { ...studio.selection.aids, [key]: on })}
        />
      {/each}
      <Toggle
        label="Without perspective"
        about="Lines that are parallel stay so. Shift+↓ → ↑ look along an axis"
        on={straight}
        onchange={(on) => {
          straight = on;
          studio.eye.straighten(on);
        }}
      />
      <Toggle
        label="Turntable"
        about="The view goes around by itself"
        on={studio.selection.turntable}
        onchange={(on) => (studio.selection.turntable = on)}
      />
      <h3 class="text-soft border-line mt-1 border-t pt-2 font-semibold">Views</h3>
      {#each bookmarks.all as kept (kept.id)}
        <div class="flex items-center">
          <button
            type="button"
            class="hover:bg-strong min-w-0 flex-1 truncate rounded px-2 py-1 text-left"
            onclick={() => {
              studio.eye.look(kept.stand);
              studio.lighting.save();
            }}>{kept.name}</button
          >
          <button
            type="button"
            class="text-soft hover:text-ink p-1"
            aria-label="Let {kept.name} go"
            title="Let it go"
            onclick={() => void bookmarks.remove(kept)}><X size={14} /></button
          >
        </div>
      {:else}
        <p class="text-soft text-xs">None is kept yet.</p>
      {/each}
      {#if naming}
        <NameField
          label="Name of this view"
          value="View {bookmarks.all.length + 1}"
          ondone={(name) => {
            naming = false;
            if (name) void bookmarks.add(name);
          }}
        />
      {:else}
        <button type="button" class={button} onclick={() => (naming = true)}>Keep this view …</button>
      {/if}
      <button
        type="button"
        class={button}
        title="Save a picture (Shift+P)"
        onclick={() => {
          open = false;
          studio.selection.savingPicture = true;
        }}>Save a picture …</button
      >
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
