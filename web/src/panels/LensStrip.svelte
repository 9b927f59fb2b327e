<!-- Lenses: those that are asked for all day in a row, the others behind "More". -->
<script lang="ts">
  import ChevronUp from "@lucide/svelte/icons/chevron-up";
  import { Popover } from "bits-ui";
  import { innerWidth } from "svelte/reactivity/window";

  import { LENSES, lensFits, MORE_LENSES, type LensChoice } from "../state/lenses";
  import type { Studio } from "../state/studio.svelte";
  import Segmented from "../ui/Segmented.svelte";

  const { studio }: { studio: Studio } = $props();
  let open = $state(false);
  const offered = (lenses: LensChoice[]) => lenses.filter((lens) => lensFits(studio, lens.value));
  /** In a narrow window the strip has one row all the same. */
  const few = $derived((innerWidth.current ?? 1280) < 960);
  const shown = $derived(offered(LENSES).slice(0, few ? 3 : undefined));
  const behind = $derived([...offered(LENSES).slice(shown.length), ...offered(MORE_LENSES)]);
  const other = $derived(behind.find((l) => l.value === studio.selection.lens));
</script>

<div class="bg-ash flex items-center rounded-lg">
  <Segmented
    label="Lens"
    side="top"
    value={studio.selection.lens}
    onchange={(v) => (studio.selection.lens = v)}
    choices={other ? [...shown, other] : shown}
  />
  <Popover.Root bind:open>
    <Popover.Trigger
      class="text-soft hover:text-ink flex h-8 items-center gap-1 rounded-md pr-2.5 pl-1.5 text-sm"
      aria-label="More lenses"
      title="Set, border, term, slope, height, groups"
    >
      More <ChevronUp size={13} />
    </Popover.Trigger>
    <Popover.Portal>
      <Popover.Content
        role="dialog"
        aria-label="More lenses"
        side="top"
        sideOffset={8}
        class="bg-raised border-line z-50 max-h-[calc(100vh-9rem)] w-72 overflow-y-auto rounded-md border p-1 text-sm shadow-xl"
      >
        {#each behind as lens (lens.value)}
          <button
            type="button"
            class="hover:bg-strong aria-pressed:text-accent block w-full rounded px-2 py-1.5 text-left"
            aria-pressed={studio.selection.lens === lens.value}
            onclick={() => {
              studio.selection.lens = lens.value;
              open = false;
            }}
          >
            <span class="flex justify-between"
              >{lens.name}<kbd class="num text-soft">{lens.key ?? ""}</kbd></span
            >
            <span class="text-soft block text-xs">{lens.about}</span>
          </button>
        {/each}
      </Popover.Content>
    </Popover.Portal>
  </Popover.Root>
</div>
