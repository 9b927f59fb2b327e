<!-- Long work under way, and what it made: figures first, then keep it or leave it. -->
<script lang="ts">
  import { shownLength } from "../ui/quantity";
  import type { Studio } from "../state/studio.svelte";
  import { MAIN, PLAIN, QUIET } from "../ui/button";

  const { studio }: { studio: Studio } = $props();
  const job = $derived(studio.preparing.job!);
  const f = $derived(job.facts as Record<string, number | boolean | null>);
  const n = (key: string) => Number(f[key] ?? 0);
  const count = (value: number) => value.toLocaleString("en");

  const rows = $derived.by(() => {
    const out: [string, string][] = [
      ["Vertices", `${count(n("vertices_before"))} → ${count(n("vertices_after"))}`],
      ["Triangles", `${count(n("triangles_before"))} → ${count(n("triangles_after"))}`],
      ["Median spacing", shownLength(n("spacing_median"))],
    ];
    if ("worst" in f && "uniform_vertices" in f) {
      out.push(["Largest error left", n("worst").toFixed(3)]);
      const more = f["uniform_levels"] === null ? "more than " : "";
      out.push(["Everywhere it would take", `${more}${count(n("uniform_vertices"))} vertices`]);
      out.push(["Saved", `${more ? "at least " : ""}${count(Math.max(0, n("saved")))} vertices`]);
    }
    if ("median" in f) {
      out.push([
        "Distance to the old",
        `${shownLength(n("median"))} median, ${shownLength(n("worst"))} worst`,
      ]);
      out.push([`Farther than ${shownLength(n("limit"))}`, `${count(n("far"))} vertices`]);
      if (n("turned") > 0) out.push(["No face turned the same way", `${count(n("turned"))} vertices`]);
    }
    return out;
  });
  const running = $derived(job.state === "running" || job.state === "waiting");
</script>

<div class="bg-raised border-line border-b px-4 py-3" role="status" data-testid="plan">
  {#if running}
    <div class="flex items-center justify-between gap-3">
      <p class="font-medium">{job.title} …</p>
      <button type="button" class={QUIET} onclick={() => studio.preparing.dropPlan()}>Stop</button>
    </div>
    <div
      class="bg-ash mt-2 h-1.5 overflow-hidden rounded-full"
      role="progressbar"
      aria-label={job.title}
      aria-valuenow={Math.round(job.progress * 100)}
      aria-valuemin="0"
      aria-valuemax="100"
    >
      <div class="bg-accent h-full" style:width="{job.progress * 100}%"></div>
    </div>
  {:else if job.state === "done"}
    <p class="font-medium">Ready to keep</p>
    <dl class="mt-1 space-y-0.5 text-sm">
      {#each rows as [name, value] (name)}
        <div class="flex justify-between gap-3">
          <dt class="text-soft">{name}</dt>
          <dd class="num text-right">{value}</dd>
        </div>
      {/each}
    </dl>
    {#if f["hard_borders_lost"]}
      <p class="text-warn mt-1 text-sm">Hard borders of the old mesh do not carry over; make them again.</p>
    {/if}
    <div class="mt-3 flex gap-2">
      <button type="button" class="{MAIN} flex-1" onclick={() => studio.preparing.keepPlan()}>Keep it</button>
      {#if job.kind !== "level"}
        <button
          type="button"
          class={PLAIN}
          aria-pressed={studio.preparing.planShown}
          title="Show the planned mesh in the picture; nothing is changed yet"
          onclick={() => {
            studio.preparing.planShown = !studio.preparing.planShown;
            if (studio.preparing.planShown && job.kind === "replacement") studio.selection.lens = "grain";
          }}>{studio.preparing.planShown ? "Back" : "Look"}</button
        >
      {/if}
      <button type="button" class={QUIET} onclick={() => studio.preparing.dropPlan()}>Leave it</button>
    </div>
    {#if studio.preparing.planShown && job.kind === "replacement"}
      <p class="text-soft mt-2 text-xs">
        Light is far from the old surface. Choose Channel or Blend below to see the paint carried over.
      </p>
    {/if}
  {/if}
</div>
