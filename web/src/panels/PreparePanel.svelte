<!-- Prepare: judge the mesh, refine it, group its faces, make levels, put a new version in its place. -->
<script lang="ts">
  import ChevronDown from "@lucide/svelte/icons/chevron-down";

  import { terrainOf } from "../state/sites";
  import type { Studio } from "../state/studio.svelte";
  import PlanCard from "./PlanCard.svelte";
  import PrepareFacts from "./PrepareFacts.svelte";
  import PrepareGroups from "./PrepareGroups.svelte";
  import PrepareNeighbours from "./PrepareNeighbours.svelte";
  import PrepareLevels from "./PrepareLevels.svelte";
  import PrepareRefine from "./PrepareRefine.svelte";
  import PrepareReplace from "./PrepareReplace.svelte";
  import PrepareSize from "./PrepareSize.svelte";
  import TerrainFacts from "./TerrainFacts.svelte";
  import UploadLine from "./UploadLine.svelte";

  const { studio }: { studio: Studio } = $props();

  const terrain = $derived(terrainOf(studio.surface));

  const PARTS = [
    { key: "facts", name: "Facts and grain", part: PrepareFacts },
    { key: "size", name: "Size and standing", part: PrepareSize },
    { key: "refine", name: "Refine", part: PrepareRefine },
    { key: "groups", name: "Groups and hard borders", part: PrepareGroups },
    { key: "levels", name: "Levels of detail, map", part: PrepareLevels },
    { key: "replace", name: "New version of the mesh", part: PrepareReplace },
    { key: "neighbours", name: "Neighbours", part: PrepareNeighbours },
  ] as const;
  /** What a terrain has, too; its facts are always in sight. */
  const OF_TERRAIN = ["neighbours"];
  const parts = $derived(terrain ? PARTS.filter(({ key }) => OF_TERRAIN.includes(key)) : PARTS);
</script>

<section aria-label="Prepare">
  {#if studio.preparing.uploading}
    <div class="border-line border-b px-4 py-3">
      <UploadLine upload={studio.preparing.upload} what="the file" />
    </div>
  {/if}
  {#if studio.preparing.job}<PlanCard {studio} />{/if}
  {#if terrain}
    <div class="border-line border-b"><TerrainFacts {studio} {terrain} /></div>
  {/if}
  {#each parts as { key, name, part: Part } (key)}
    {@const open = studio.preparing.at === key}
    <div class="border-line border-b">
      <h2>
        <button
          type="button"
          class="hover:bg-raised flex w-full items-center justify-between px-4 py-2.5 font-semibold"
          aria-expanded={open}
          onclick={() => (studio.preparing.at = key)}
        >
          {name}
          <ChevronDown size={16} class="text-soft {open ? 'rotate-180' : ''}" />
        </button>
      </h2>
      {#if open}<div class="px-4 pb-4"><Part {studio} /></div>{/if}
    </div>
  {/each}
</section>
