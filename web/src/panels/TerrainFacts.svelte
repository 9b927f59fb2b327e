<!-- What a terrain is: its grid, its sizes, its sets and what they take. -->
<script lang="ts">
  import { liesOn, type TerrainFacts } from "../state/sites";
  import type { Studio } from "../state/studio.svelte";
  import { shownLength } from "../ui/quantity";

  const { studio, terrain }: { studio: Studio; terrain: TerrainFacts } = $props();

  const count = (value: number) => value.toLocaleString("en");
  const rows = $derived<[string, string][]>([
    ["Heights", `${count(terrain.cols)} × ${count(terrain.rows)}`],
    ["Between heights", shownLength(terrain.spacing)],
    ["Width", shownLength((terrain.cols - 1) * terrain.spacing)],
    ["Depth", shownLength((terrain.rows - 1) * terrain.spacing)],
    ["Lowest", `${terrain.lowest.toFixed(2)} m`],
    ["Highest", `${terrain.highest.toFixed(2)} m`],
  ]);
</script>

<div class="px-4 py-3">
  <h2 class="mb-2 font-semibold">The terrain</h2>
  <dl class="space-y-0.5 text-sm">
    {#each rows as [name, value] (name)}
      <div class="flex justify-between gap-3">
        <dt class="text-soft">{name}</dt>
        <dd class="num">{value}</dd>
      </div>
    {/each}
  </dl>
  <h3 class="text-soft mt-3 text-sm">Channel sets</h3>
  <dl class="space-y-0.5 text-sm">
    {#each studio.ownSets as set (set.id)}
      <div class="flex justify-between gap-3">
        <dt class="truncate">{set.document.name}</dt>
        <dd class="num text-soft">{liesOn(set, studio.surface)}</dd>
      </div>
    {/each}
  </dl>
  <p class="text-soft mt-3 text-sm">
    Heights are samples at the corners of the grid, and splat cells lie between them. The ground itself is the
    set
    <em>Ground</em>: what is painted into it raises and lowers the terrain, and erasing brings back what came
    in.
  </p>
</div>
