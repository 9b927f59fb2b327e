<!-- Every step with a picture of what it left; snapshots to come back to and to compare with. -->
<script lang="ts">
  import Camera from "@lucide/svelte/icons/camera";
  import Columns from "@lucide/svelte/icons/columns-2";
  import Trash from "@lucide/svelte/icons/trash-2";

  import { answer, server } from "../state/server";
  import type { Studio } from "../state/studio.svelte";
  import { tellError } from "../state/told";
  import type { HistoryView, SnapshotView } from "../state/types";
  import { PLAIN } from "../ui/button";
  import IconButton from "../ui/IconButton.svelte";

  const { studio }: { studio: Studio } = $props();

  let history = $state.raw<HistoryView | null>(null);
  let name = $state("");

  async function load(): Promise<void> {
    try {
      history = await answer<HistoryView>(
        server.GET("/api/surfaces/{ident}/history", { params: { path: { ident: studio.surface.id } } }),
      );
    } catch (error) {
      tellError(error);
    }
  }
  $effect(() => {
    void studio.steps;
    void studio.pictures;
    void load();
  });

  async function take(): Promise<void> {
    try {
      await answer(
        server.POST("/api/surfaces/{ident}/snapshots", {
          params: { path: { ident: studio.surface.id } },
          body: { name: name.trim() || `Snapshot ${(history?.snapshots.length ?? 0) + 1}` },
        }),
      );
      name = "";
      await load();
    } catch (error) {
      tellError(error);
    }
  }
  const restore = (snapshot: SnapshotView) => studio.preparing.restore(snapshot.id);
  async function remove(snapshot: SnapshotView): Promise<void> {
    if (studio.selection.compare?.snapshot?.id === snapshot.id) studio.selection.compare = null;
    await server.DELETE("/api/surfaces/{ident}/snapshots/{snapshot}", {
      params: { path: { ident: studio.surface.id, snapshot: snapshot.id } },
    });
    await load();
  }

  const steps = $derived([...(history?.steps ?? [])].reverse());
  const at = $derived(studio.history.at);
  const time = (made: string | null) =>
    made
      ? new Date(made).toLocaleTimeString("en", { hour: "2-digit", minute: "2-digit", hour12: false })
      : "";
</script>

<section class="px-4 py-3" aria-label="Snapshots">
  <h2 class="font-semibold">Snapshots</h2>
  <form
    class="mt-1 flex gap-2"
    onsubmit={(e) => {
      e.preventDefault();
      void take();
    }}
  >
    <input
      class="bg-ash border-line h-8 min-w-0 flex-1 rounded border px-2 text-sm"
      aria-label="Name of the snapshot"
      placeholder="Name, e.g. before the wrack"
      maxlength="60"
      bind:value={name}
    />
    <button type="submit" class={PLAIN} title="Keep the surface as it is now"
      ><Camera size={15} /> Take</button
    >
  </form>
  <ul class="mt-2 space-y-0.5 text-sm">
    {#each history?.snapshots ?? [] as snapshot (snapshot.id)}
      <li class="flex items-center gap-1">
        <button
          type="button"
          class="hover:text-accent min-w-0 flex-1 truncate text-left"
          title="Bring the surface back to this; it can be undone"
          onclick={() => restore(snapshot)}>{snapshot.name}</button
        >
        <span class="num text-soft">{time(snapshot.made_at)}</span>
        <IconButton
          small
          side="left"
          label="Compare with {snapshot.name}"
          pressed={studio.selection.compare?.snapshot?.id === snapshot.id}
          onclick={() =>
            (studio.selection.compare =
              studio.selection.compare?.snapshot?.id === snapshot.id
                ? null
                : {
                    kind: "snapshot",
                    lens: studio.selection.lens,
                    snapshot,
                    level: 0,
                    sideBySide: false,
                    at: 0.5,
                  })}
        >
          <Columns size={14} />
        </IconButton>
        <IconButton small side="left" label="Delete {snapshot.name}" onclick={() => remove(snapshot)}>
          <Trash size={14} />
        </IconButton>
      </li>
    {:else}
      <li class="text-soft">None yet. A snapshot is a state to come back to, and to compare with.</li>
    {/each}
  </ul>
</section>
<section class="border-line border-t px-4 py-3" aria-label="Steps">
  <h2 class="font-semibold">Steps</h2>
  <p class="text-soft text-sm">
    Newest first. Click one to go there; later steps stay until you paint, and then as a snapshot.
  </p>
  <ol class="-mx-2 mt-2">
    {#each steps as step (step.number)}
      {@const here = step.number === at}
      <li>
        <button
          type="button"
          class="hover:bg-raised relative flex w-full items-center gap-3 rounded px-2 py-1 text-left {here
            ? 'bg-raised before:bg-accent before:absolute before:inset-y-0 before:left-0 before:w-[3px]'
            : ''} {step.in_force ? '' : 'opacity-55'}"
          aria-current={here ? "step" : undefined}
          onclick={() => !here && studio.jump(step.number)}
        >
          <span class="bg-ash h-9 w-14 shrink-0 overflow-hidden rounded-sm">
            {#if step.picture}
              <img
                class="size-full object-cover"
                alt=""
                src="/api/surfaces/{studio.surface.id}/steps/{step.number}/picture"
              />
            {/if}
          </span>
          <span class="min-w-0 flex-1 text-sm">
            <span class="line-clamp-2 {here ? 'text-accent' : ''}">
              <span class="num text-soft">{step.number}</span>
              {step.label}
            </span>
          </span>
          <span class="num text-soft">{time(step.made_at)}</span>
        </button>
      </li>
    {/each}
    {#if history && history.left_out > 0}
      <li class="text-soft px-2 py-1 text-sm">{history.left_out} older steps can be undone one by one.</li>
    {/if}
    <li>
      <button
        type="button"
        class="hover:bg-raised w-full rounded px-2 py-1.5 text-left text-sm {at === 0
          ? 'text-accent'
          : 'text-soft'}"
        onclick={() => at !== 0 && studio.jump(0)}>As it was imported</button
      >
    </li>
  </ol>
</section>
