<!-- What the second picture shows: another lens, a snapshot, another level; under a divider or beside. -->
<script lang="ts">
  import Columns from "@lucide/svelte/icons/columns-2";
  import { Popover } from "bits-ui";

  import { ALL_LENSES, isProgrammed, lensFits, type Lens } from "../state/lenses";
  import { answer, server } from "../state/server";
  import type { Compare } from "../state/selection.svelte";
  import type { Studio } from "../state/studio.svelte";
  import { tellError } from "../state/told";
  import type { HistoryView, SnapshotView } from "../state/types";
  import Segmented from "../ui/Segmented.svelte";

  const { studio }: { studio: Studio } = $props();

  let open = $state(false);
  let snapshots = $state.raw<SnapshotView[]>([]);

  async function load(): Promise<void> {
    try {
      const view = await answer<HistoryView>(
        server.GET("/api/surfaces/{ident}/history", { params: { path: { ident: studio.surface.id } } }),
      );
      snapshots = view.snapshots;
    } catch (error) {
      tellError(error);
    }
  }

  const EMPTY: Compare = {
    kind: "lens",
    lens: "channel",
    snapshot: null,
    level: 0,
    sideBySide: false,
    at: 0.5,
  };
  function choose(change: Partial<Compare>): void {
    studio.selection.compare = { ...EMPTY, ...(studio.selection.compare ?? {}), ...change };
  }
  const row = "hover:bg-strong w-full rounded px-2 py-1.5 text-left aria-pressed:text-accent";
</script>

<Popover.Root
  bind:open={
    () => open,
    (v) => {
      open = v;
      if (v) void load();
    }
  }
>
  <Popover.Trigger
    class="hover:bg-strong grid size-8 place-items-center rounded {studio.selection.compare
      ? 'text-accent'
      : 'text-soft hover:text-ink'}"
    aria-label="Compare"
    title="Compare with another lens, a snapshot or another level (W)"
  >
    <Columns size={16} />
  </Popover.Trigger>
  <Popover.Portal>
    <Popover.Content
      role="dialog"
      aria-label="Compare"
      side="top"
      sideOffset={8}
      class="bg-raised border-line z-50 w-64 rounded-md border p-2 text-sm shadow-xl"
    >
      <p class="text-soft px-2 pb-1">To the right of the divider</p>
      {#each ALL_LENSES.filter((l) => !isProgrammed(l.value) && lensFits(studio, l.value)) as lens (lens.value)}
        <button
          type="button"
          class={row}
          aria-pressed={studio.selection.compare?.kind === "lens" &&
            studio.selection.compare.lens === lens.value}
          onclick={() => choose({ kind: "lens", lens: lens.value as Lens })}>{lens.name}</button
        >
      {/each}
      {#each studio.levels as level, i (i)}
        <button
          type="button"
          class={row}
          aria-pressed={studio.selection.compare?.kind === "level" &&
            studio.selection.compare.level === i + 1}
          onclick={() => choose({ kind: "level", level: i + 1 })}
          >Level {i + 1} · {level.triangles.toLocaleString("en")} triangles</button
        >
      {/each}
      {#each snapshots as snapshot (snapshot.id)}
        <button
          type="button"
          class="{row} truncate"
          aria-pressed={studio.selection.compare?.kind === "snapshot" &&
            studio.selection.compare.snapshot?.id === snapshot.id}
          onclick={() => choose({ kind: "snapshot", snapshot })}>Snapshot · {snapshot.name}</button
        >
      {/each}
      <div class="border-line mt-1 border-t pt-2">
        <Segmented
          label="Layout"
          side="top"
          value={studio.selection.compare?.sideBySide ? "beside" : "wipe"}
          onchange={(v) => choose({ sideBySide: v === "beside" })}
          choices={[
            { value: "wipe", name: "Wipe", about: "One picture, cut by a divider to drag" },
            { value: "beside", name: "Side by side", about: "Two pictures from the same direction" },
          ]}
        />
        {#if studio.selection.compare}
          <button type="button" class="{row} text-soft mt-1" onclick={() => (studio.selection.compare = null)}
            >One picture only</button
          >
        {/if}
      </div>
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
