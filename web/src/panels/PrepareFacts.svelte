<script lang="ts">
  import type { Studio } from "../state/studio.svelte";
  import { PLAIN } from "../ui/button";
  import { fitted, shownLength } from "../ui/quantity";

  const { studio }: { studio: Studio } = $props();

  const f = $derived(studio.surface.facts as Record<string, number>);
  const streams = $derived(
    (studio.surface.facts["streams"] as { name: string; bytes: number }[] | undefined) ?? [],
  );
  const count = (value: number | undefined) => (value ?? 0).toLocaleString("en");
  const setBytes = (bits: number | undefined, channels: number) => ((bits ?? 16) / 8) * channels;
  const onVertices = $derived(studio.ownSets.filter((s) => s.sites.kind === "vertices"));
  const perVertex = $derived(
    streams.reduce((sum, s) => sum + s.bytes, 0) +
      onVertices.reduce((sum, s) => sum + setBytes(s.document.bits, s.document.channels.length), 0),
  );
  const rows = $derived<[string, string][]>([
    ["Vertices", count(f["vertices"])],
    ["Places", `${count(f["points"])}`],
    ["Triangles", count(f["triangles"])],
    ["Area", `${fitted(f["area"] ?? 0, f["area"]! < 10 ? 2 : 0)} m²`],
    ["Median spacing", shownLength(f["spacing_median"] ?? 0)],
    ["Worst spacing", shownLength(f["spacing_longest"] ?? 0)],
    ["UV sets", count(f["uv_sets"])],
    ["Seam edges", count(f["seams"])],
    ["Groups", count(studio.groups.length)],
  ]);
</script>

<dl class="space-y-0.5 text-sm">
  {#each rows as [name, value] (name)}
    <div class="flex justify-between gap-3">
      <dt class="text-soft">{name}</dt>
      <dd class="num">{value}</dd>
    </div>
  {/each}
</dl>
<button
  type="button"
  class="{PLAIN} mt-2 w-full"
  aria-pressed={studio.selection.lens === "grain"}
  onclick={() => (studio.selection.lens = studio.selection.lens === "grain" ? "blend" : "grain")}
  >{studio.selection.lens === "grain" ? "Back to the Blend lens" : "Show the grain"}</button
>
<h3 class="text-soft mt-3 text-sm">Memory a vertex</h3>
<dl class="space-y-0.5 text-sm">
  {#each streams as stream (stream.name)}
    <div class="flex justify-between gap-3">
      <dt class="truncate">{stream.name}</dt>
      <dd class="num text-soft">{stream.bytes} B</dd>
    </div>
  {/each}
  {#each onVertices as set (set.id)}
    <div class="flex justify-between gap-3">
      <dt class="truncate">{set.document.name}</dt>
      <dd class="num text-soft">{setBytes(set.document.bits, set.document.channels.length)} B</dd>
    </div>
  {/each}
  <div class="border-line flex justify-between gap-3 border-t pt-0.5">
    <dt>Together, with indices</dt>
    <dd class="num">
      {perVertex} B · {((perVertex * (f["vertices"] ?? 0) + (f["index_bytes"] ?? 0)) / 1e6).toFixed(2)} MB
    </dd>
  </div>
</dl>
