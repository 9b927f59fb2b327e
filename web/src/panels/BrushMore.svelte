<!-- What a hand needs now and then, each behind a button that says whether it is on. -->
<script lang="ts">
  import { Popover } from "bits-ui";
  import type { Component } from "svelte";

  import type { Studio } from "../state/studio.svelte";
  import Dabs from "./brush/Dabs.svelte";
  import Grain from "./brush/Grain.svelte";
  import Limits from "./brush/Limits.svelte";
  import Mirror from "./brush/Mirror.svelte";
  import Pen from "./brush/Pen.svelte";
  import Protect from "./brush/Protect.svelte";
  import Stencil from "./brush/Stencil.svelte";

  const { studio }: { studio: Studio } = $props();
  const brush = $derived(studio.brush.settings);
  let open = $state<string | null>(null);
  /** They open beside the column, so that nothing of the brush is hidden. */
  let row = $state<HTMLElement | null>(null);

  interface Part {
    name: string;
    about: string;
    on: boolean;
    parts: Component<{ studio: Studio }>[];
  }
  const PARTS = $derived<Part[]>([
    {
      name: "Pen",
      about: "Pressure, tilt, steadiness, spacing of dabs",
      on: brush.pressure_drives !== "strength" || brush.tilt_drives !== "nothing" || studio.brush.steady > 0,
      parts: [Pen, Dabs],
    },
    {
      name: "Stencil",
      about: "A picture or noise that thins the brush",
      on: !!brush.stencil || (brush.noise?.amount ?? 0) > 0,
      parts: [Stencil, Grain],
    },
    { name: "Mirror", about: "Symmetry", on: !!brush.symmetry, parts: [Mirror] },
    {
      name: "Protect",
      about: "What no stroke and no fill may change",
      on:
        !!studio.selection.protect.mask ||
        !!studio.selection.protect.height ||
        !!studio.selection.protect.slope ||
        (studio.selection.protect.groups ?? []).length > 0 ||
        (studio.selection.partsProtected && studio.selection.parts.size > 0),
      parts: [Protect, Limits],
    },
  ]);
</script>

<div bind:this={row} class="mt-1.5 grid grid-cols-4 gap-1">
  {#each PARTS as { name, about, on, parts } (name)}
    <Popover.Root bind:open={() => open === name, (v) => (open = v ? name : null)}>
      <Popover.Trigger
        class="text-soft hover:text-ink bg-ash data-[state=open]:bg-strong data-[state=open]:text-ink relative h-7 rounded-md text-[clamp(0.69rem,0.95vw,0.8125rem)]"
        title="{about}{on ? ' (on)' : ''}"
      >
        {name}{#if on}<span class="bg-accent absolute top-1 right-1 size-1.5 rounded-full"></span><span
            class="sr-only">, on</span
          >{/if}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          role="dialog"
          aria-label="{name} settings"
          customAnchor={row}
          side="right"
          align="end"
          sideOffset={20}
          interactOutsideBehavior="ignore"
          id="brush-{name}"
          tabindex={-1}
          onOpenAutoFocus={(e) => {
            // The dialog itself: focus on its first setting would open that one's tip.
            e.preventDefault();
            document.getElementById(`brush-${name}`)?.focus();
          }}
          class="bg-raised border-line z-40 max-h-[80vh] w-72 overflow-y-auto rounded-md border p-3 text-sm shadow-xl"
        >
          <div class="space-y-3">
            {#each parts as Part, i (i)}<Part {studio} />{/each}
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  {/each}
</div>
