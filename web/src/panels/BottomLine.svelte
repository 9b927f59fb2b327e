<!-- The core sample at the cursor, and whether everything is saved. -->
<script lang="ts">
  import { heightsIn } from "../state/sites";
  import type { Studio } from "../state/studio.svelte";
  import { swatchOf } from "../state/swatch";
  import { LETTERS } from "../state/types";
  import { shownLength } from "../ui/quantity";

  const { studio }: { studio: Studio } = $props();

  const sample = $derived(studio.probing.sample);

  const parts = $derived(
    (sample?.layers ?? []).map(({ layer, weight, share }) => {
      const entry = layer < 0 ? studio.documents.blend.ground : studio.documents.blend.layers[layer];
      return {
        name: entry?.name ?? "",
        weight,
        share,
        swatch: entry ? swatchOf(studio, entry) : "none",
      };
    }),
  );

  const hidden = $derived(sample?.hiding ? `${sample.hiding.above} hides ${sample.hiding.below} here` : "");

  // Of the ground its height is told already.
  const values = $derived(
    heightsIn(studio.selection.set, studio.surface)
      ? ""
      : (sample?.values[studio.selection.set.id]?.map((v, i) => `${LETTERS[i]} ${v.toFixed(2)}`).join("  ") ??
          ""),
  );

  /** Silent while something is to be saved; and a stroke that takes a while. */
  let silent = $state(false);
  let long = $state(false);
  $effect(() => {
    void studio.heard;
    silent = false;
    if (studio.unsaved === 0) return;
    const timer = setTimeout(() => (silent = true), 3000);
    return () => clearTimeout(timer);
  });
  $effect(() => {
    long = false;
    if (!studio.painting.ended) return;
    const timer = setTimeout(() => (long = true), 700);
    return () => clearTimeout(timer);
  });

  const saving = $derived.by(() => {
    if (studio.live.connection === "gone") return { text: "This surface was deleted", warn: true };
    if (studio.live.connection === "lost") return { text: "Connection lost: painting is paused", warn: true };
    if (studio.live.connection === "connecting") return { text: "Connecting …", warn: false };
    if (studio.painting.active) return { text: "Painting", warn: false };
    if (silent) return { text: "The server does not answer: not everything is saved yet", warn: true };
    if (long) return { text: "The stroke is still being painted …", warn: false };
    if (studio.unsaved > 0 || studio.surveys.draft.waits || studio.documents.writing)
      return { text: "Saving …", warn: false };
    return { text: "All strokes saved", warn: false };
  });
</script>

<footer
  class="bg-panel border-line col-span-3 flex items-center gap-4 border-t px-4"
  data-asking={studio.probing.asking}
>
  {#if sample}
    <span class="num whitespace-nowrap">{shownLength(sample.height)} · slope {sample.slope.toFixed(1)}°</span>
    <span
      class="border-line flex h-4 w-[clamp(4rem,20vw,18rem)] shrink-0 overflow-hidden rounded-full border"
      aria-hidden="true"
      data-testid="share-bar"
    >
      {#each parts as part, i (i)}
        <span class="h-full" style:width="{part.share * 100}%" style:background={part.swatch}></span>
      {/each}
    </span>
    {#if hidden}<span class="text-soft shrink-0 text-sm whitespace-nowrap">{hidden}</span>{/if}
    <span class="num min-w-16 truncate" data-testid="core-sample">
      {parts
        .filter((p) => p.share >= 0.005)
        .map((p) => `${p.name} ${Math.round(p.share * 100)}`)
        .join(" · ")}
    </span>
    <span class="num text-soft min-w-0 shrink-[100] truncate">{values}</span>
  {:else}
    <span class="text-soft text-sm">Point at the surface: the share of every layer there appears here.</span>
  {/if}
  <span class="ml-auto flex shrink-0 items-center gap-2 text-sm" role="status" data-testid="save-state">
    <span class={saving.warn ? "text-warn" : "text-soft"}>{saving.text}</span>
    {#if studio.live.connection === "lost"}
      <button type="button" class="text-accent underline" onclick={() => studio.live.retry()}>Try now</button>
    {:else if long}
      <button
        type="button"
        class="text-accent underline"
        title="Put the stroke back"
        onclick={() => studio.painting.stop()}>Stop</button
      >
    {/if}
  </span>
</footer>
