<!-- Channel sets: add one on vertices or on a map, name, bits, shared sum, remove. -->
<script lang="ts">
  import Settings from "@lucide/svelte/icons/sliders-horizontal";
  import { Popover } from "bits-ui";

  import { answer, server } from "../state/server";
  import { terrainOf } from "../state/sites";
  import type { Studio } from "../state/studio.svelte";
  import { tellError } from "../state/told";
  import type { CellsView } from "../state/types";
  import { MAIN, PLAIN, QUIET } from "../ui/button";
  import Choice from "../ui/Choice.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import { shownLength } from "../ui/quantity";
  import Toggle from "../ui/Toggle.svelte";

  const { studio }: { studio: Studio } = $props();

  let open = $state(false);
  let adding = $state(false);
  let name = $state("Masks 2");
  let kind = $state<"vertices" | "texels">("vertices");
  let size = $state<256 | 512 | 1024 | 2048 | 4096>(1024);
  let copy = $state("no");
  let channels = $state(4);
  let bits = $state<8 | 16>(16);

  const terrain = $derived(terrainOf(studio.surface));
  let edge = $state(1024);
  /** Sets of cells that can be added, as the server counts them. */
  let cells = $state.raw<CellsView[]>([]);

  interface UVs {
    kind: "own" | "tiling" | "overlapping";
    own: number;
    shared: number;
    outside: number;
    tiles: number;
  }
  const hasMap = $derived(Number(studio.surface.facts["uv_sets"]) > 0);
  const maps = $derived((studio.surface.facts["uvs"] as UVs[] | undefined) ?? []);
  let uv = $state(0);
  const uvs = $derived(maps[uv]);
  const NAMES = { own: "texels of its own", tiling: "tiling", overlapping: "overlapping" };
  const percent = (share: number) => `${Math.round(share * 100)} %`;
  const said = $derived.by(() => {
    if (!uvs || uvs.kind === "own") return "";
    const why =
      uvs.kind === "tiling"
        ? `The UVs tile over ${uvs.tiles.toFixed(1)} tiles`
        : `Parts of the UVs overlap, and share what is painted there`;
    return `${why}: ${percent(uvs.own)} of the surface would have texels of its own.`;
  });
  function unwrap(): void {
    open = false;
    studio.preparing.at = "levels";
    studio.selection.side = "prepare";
  }

  async function start(): Promise<void> {
    uv = Number(studio.surface.facts["best_map"] ?? 0);
    try {
      const params = { path: { ident: studio.surface.id } };
      if (terrain) cells = await answer<CellsView[]>(server.GET("/api/surfaces/{ident}/cells", { params }));
      adding = true;
    } catch (error) {
      tellError(error);
    }
  }

  async function add(): Promise<void> {
    const chosen = cells.find(({ longest }) => longest === edge);
    const sites = chosen
      ? { kind: "cells" as const, cols: chosen.cols, rows: chosen.rows }
      : kind === "vertices"
        ? { kind: "vertices" as const, level: 0, follows: null }
        : { kind: "texels" as const, size, uv };
    const done = await studio.preparing.addSet({
      name: name.trim().slice(0, 60) || "Masks",
      sites,
      bits,
      channels,
      copy_of: copy === "no" ? null : copy,
    });
    if (done) adding = open = false;
  }
</script>

<Popover.Root
  bind:open={
    () => open,
    (v) => {
      open = v;
      adding = false;
    }
  }
>
  <Popover.Trigger
    class="text-soft hover:text-ink hover:bg-strong grid size-7 shrink-0 place-items-center rounded"
    aria-label="Channel sets"
    title="Add, name or remove channel sets; bits and shared sum"
  >
    <Settings size={15} />
  </Popover.Trigger>
  <Popover.Portal>
    <Popover.Content
      role="dialog"
      aria-label="Channel sets"
      side="right"
      align="start"
      sideOffset={8}
      class="bg-raised border-line z-50 w-72 rounded-md border p-3 text-sm shadow-xl"
    >
      {#if !adding}
        <h3 class="mb-2 font-semibold">{studio.selection.baseSet.document.name}</h3>
        <label class="mb-2 block">
          <span class="text-soft">Name</span>
          <input
            class="bg-ash border-line mt-0.5 h-8 w-full rounded border px-2"
            value={studio.selection.set.document.name}
            maxlength="60"
            onchange={(e) => {
              const wanted = e.currentTarget.value.trim();
              if (wanted) studio.documents.editSet({ name: wanted });
            }}
          />
        </label>
        <p class="text-soft mb-1">Made for</p>
        <Segmented
          label="Bits"
          value={String(studio.selection.set.document.bits ?? 16)}
          onchange={(v) => studio.documents.editSet({ bits: v === "8" ? 8 : 16 })}
          choices={[
            { value: "8", name: "8 bits", about: "Shows and exports 256 steps; painting keeps all" },
            { value: "16", name: "16 bits", about: "65 536 steps" },
          ]}
        />
        <div class="mt-3">
          <Toggle
            label="Channels share a sum of one"
            about="Painting one channel makes the others give way. Ordered layers don't need it."
            on={studio.selection.set.document.shared_sum ?? false}
            onchange={(on) => studio.documents.editSet({ shared_sum: on })}
          />
        </div>
        <div class="border-line mt-3 flex gap-2 border-t pt-3">
          <button type="button" class={PLAIN} onclick={() => void start()}>Add a set …</button>
          <button
            type="button"
            class={QUIET}
            disabled={studio.ownSets.length < 2}
            title="Take the set away with its paint; undo brings both back"
            onclick={() => {
              open = false;
              void studio.preparing.removeSet(studio.selection.baseSet.id);
            }}>Remove</button
          >
        </div>
      {:else}
        <h3 class="mb-2 font-semibold">A new channel set</h3>
        <input
          class="bg-ash border-line mb-2 h-8 w-full rounded border px-2"
          aria-label="Name of the new set"
          maxlength="60"
          bind:value={name}
        />
        {#if terrain}
          <p class="text-soft mb-1">Cells along the longer edge</p>
          <Segmented
            label="Cells along the longer edge"
            value={String(edge)}
            onchange={(v) => (edge = Number(v))}
            choices={cells.map(({ longest, rows, cols, apart }) => ({
              value: String(longest),
              name: String(longest),
              about: `${cols} × ${rows} cells, ${shownLength(apart)} apart`,
            }))}
          />
        {:else}
          <Segmented
            label="Where its values lie"
            value={kind}
            onchange={(v) => (kind = v)}
            choices={[
              { value: "vertices", name: "On vertices", about: "Exported as vertex colour or attribute" },
              { value: "texels", name: "On a map", about: "A splat texture over the UVs" },
            ]}
          />
          {#if kind === "texels"}
            {#if maps.length > 1}
              <p class="text-soft mt-2 mb-1">Over</p>
              <Choice
                label="UV set"
                tip="Which UVs the map follows"
                value={String(uv)}
                choices={maps.map((m, i) => ({
                  value: String(i),
                  name: `UV set ${i + 1}: ${m.kind === "own" ? NAMES.own : `${NAMES[m.kind]}, ${percent(m.own)} its own`}`,
                }))}
                onchange={(v) => (uv = Number(v))}
              />
            {/if}
            {#if hasMap}
              <p class="text-soft mt-2 mb-1">Texels along an edge</p>
              <Segmented
                label="Texels along an edge"
                value={String(size)}
                onchange={(v) => (size = Number(v) as typeof size)}
                choices={["256", "512", "1024", "2048", "4096"].map((v) => ({
                  value: v,
                  name: v,
                  about: `${v}²: ${((Number(v) ** 2 * 4) / 1e6).toFixed(1)} MB at 8 bits`,
                }))}
              />
            {/if}
            {#if !hasMap || said}
              <p class="text-warn mt-2">{hasMap ? said : "The mesh has no UVs."}</p>
              <button type="button" class="text-accent mt-1 underline" onclick={unwrap}
                >Unwrap the mesh …</button
              >
            {/if}
          {/if}
        {/if}
        <p class="text-soft mt-2 mb-1">Start with</p>
        <Choice
          label="Start with"
          tip="Empty, or a copy of another set; vertices and maps convert"
          value={copy}
          choices={[
            { value: "no", name: "Nothing" },
            ...studio.ownSets.map((s) => ({ value: s.id, name: `A copy of ${s.document.name}` })),
          ]}
          onchange={(v) => (copy = v)}
        />
        {#if copy === "no"}
          <p class="text-soft mt-2 mb-1">Channels</p>
          <Segmented
            label="Channels"
            value={String(channels)}
            onchange={(v) => (channels = Number(v))}
            choices={["1", "2", "3", "4"].map((v) => ({
              value: v,
              name: v,
              about: "Fewer take less room on disk and in memory",
            }))}
          />
        {/if}
        <div class="mt-3 flex gap-2">
          <button type="button" class={MAIN} disabled={!terrain && kind === "texels" && !hasMap} onclick={add}
            >Add</button
          >
          <button type="button" class={QUIET} onclick={() => (adding = false)}>Back</button>
        </div>
      {/if}
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
