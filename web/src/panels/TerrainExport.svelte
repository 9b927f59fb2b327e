<!-- Taking a terrain out: heights, splat maps, a mesh and a manifest in one zip. -->
<script lang="ts">
  import { untrack } from "svelte";

  import { answer, bytesOf, server } from "../state/server";
  import type { TerrainFacts } from "../state/sites";
  import type { Studio } from "../state/studio.svelte";
  import { tellError } from "../state/told";
  import type { FileSize, PackageChoice } from "../state/types";
  import { MAIN, PLAIN } from "../ui/button";
  import Choice from "../ui/Choice.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import Toggle from "../ui/Toggle.svelte";

  const { studio, terrain }: { studio: Studio; terrain: TerrainFacts } = $props();

  /** Metres that the least and the greatest number of its file meant. */
  const came = untrack(() => (studio.surface.facts["came_range"] as [number, number] | undefined) ?? null);

  let choice = $state<Required<PackageChoice>>({
    heights: "PNG",
    depth: "16",
    low: came?.[0] ?? null,
    high: came?.[1] ?? null,
    splat: "png",
    bits: 8,
    channels: 4,
    dither: false,
    normalised: false,
    regions: 1,
    border: 0,
    mesh: 256,
  });
  let busy = $state(false);

  const DEPTHS: Record<string, ("16" | "float")[]> = {
    PNG: ["16"],
    raw: ["16"],
    TIFF: ["16", "float"],
    NPY: ["16", "float"],
    EXR: ["float"],
  };
  const depths = $derived(DEPTHS[choice.heights]!);
  function setHeights(heights: typeof choice.heights): void {
    choice.heights = heights;
    if (!DEPTHS[heights]!.includes(choice.depth)) choice.depth = DEPTHS[heights]![0]!;
  }

  const cells = $derived(studio.ownSets.flatMap(({ sites }) => (sites.kind === "cells" ? [sites] : [])));
  const texels = $derived(cells.reduce((sum, { cols = 1024, rows = 1024 }) => sum + cols * rows, 0));
  const inMemory = $derived((texels * choice.channels * choice.bits) / 8);
  const low = $derived(choice.low ?? terrain.lowest);
  const high = $derived(choice.high ?? terrain.highest);
  const span = $derived(high - low);
  const beyond = $derived(
    choice.depth === "16" && (terrain.lowest < low - span / 131070 || terrain.highest > high + span / 131070),
  );
  function setRange(kind: "came" | "fit" | "this"): void {
    range = kind;
    if (kind === "came" && came) [choice.low, choice.high] = came;
    else if (kind === "fit") choice.low = choice.high = null;
    else [choice.low, choice.high] = [low, high];
  }
  let range = $state<"came" | "fit" | "this">(came ? "came" : "fit");

  const evenly = $derived(
    (terrain.cols - 1) % choice.regions === 0 && (terrain.rows - 1) % choice.regions === 0,
  );
  const megabytes = (bytes: number) => `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`;

  let looking = $state(false);
  let sizes = $state.raw<FileSize[] | null>(null);

  /** As it would go out, or as it is painted again. */
  async function look(): Promise<void> {
    looking = !looking;
    sizes = null;
    if (!looking) {
      studio.painting.endPreview();
      return;
    }
    studio.painting.lookAt($state.snapshot(choice));
    const params = { path: { ident: studio.surface.id } };
    try {
      sizes = await answer<FileSize[]>(
        server.POST("/api/surfaces/{ident}/export/terrain/sizes", { params, body: $state.snapshot(choice) }),
      );
    } catch (error) {
      tellError(error);
    }
  }
  // What is looked at follows the choice; leaving the sheet ends it.
  $effect(() => {
    const wanted = $state.snapshot(choice);
    if (untrack(() => looking)) {
      sizes = null;
      studio.painting.lookAt(wanted);
    }
  });
  $effect(() => () => studio.painting.endPreview());

  async function save(): Promise<void> {
    busy = true;
    try {
      const data = await bytesOf(`/api/surfaces/${studio.surface.id}/export/terrain`, choice);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([data]));
      link.download = `${studio.name}.zip`;
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
    } catch (error) {
      tellError(error);
    } finally {
      busy = false;
    }
  }
</script>

<h3 class="text-soft mb-1 text-sm">Heights</h3>
<Segmented
  label="Format of the heights"
  side="left"
  value={choice.heights}
  onchange={setHeights}
  choices={(["PNG", "TIFF", "EXR", "NPY", "raw"] as const).map((v) => ({
    value: v,
    name: v,
    about: v === "raw" ? "Bare 16-bit numbers, low byte first" : v,
  }))}
/>
{#if depths.length > 1}
  <div class="mt-1">
    <Segmented
      label="Numbers of the heights"
      side="left"
      value={choice.depth}
      onchange={(v) => (choice.depth = v)}
      choices={[
        { value: "16", name: "16 bits", about: "Whole numbers over the range of this terrain" },
        { value: "float", name: "Float", about: "Metres, exactly as they are here" },
      ]}
    />
  </div>
{/if}
{#if choice.depth === "16"}
  <div class="mt-1">
    <Segmented
      label="Range of the heights"
      side="left"
      value={range}
      onchange={setRange}
      choices={[
        ...(came
          ? [{ value: "came" as const, name: "As it came", about: "The range of the file that it came from" }]
          : []),
        { value: "fit", name: "Fit", about: "From the lowest to the highest there is: the finest steps" },
        { value: "this", name: "This range", about: "One of your own, for example the same for all tiles" },
      ]}
    />
  </div>
  {#if range === "this"}
    <div class="mt-1 grid grid-cols-2 gap-2 text-sm">
      <label class="flex items-center gap-2">
        From
        <input
          type="number"
          class="num bg-ash border-line h-7 min-w-0 flex-1 rounded border px-1.5"
          value={choice.low}
          aria-label="Metres that 0 stands for"
          onchange={(e) => (choice.low = Number(e.currentTarget.value))}
        /> m
      </label>
      <label class="flex items-center gap-2">
        to
        <input
          type="number"
          class="num bg-ash border-line h-7 min-w-0 flex-1 rounded border px-1.5"
          value={choice.high}
          aria-label="Metres that 65 535 stands for"
          onchange={(e) => (choice.high = Number(e.currentTarget.value))}
        /> m
      </label>
    </div>
  {/if}
{/if}
<p class="mt-1 text-sm {beyond ? 'text-warn' : 'text-soft'}">
  {choice.depth === "float"
    ? "Metres, exactly as they are here."
    : beyond
      ? `There are heights from ${terrain.lowest.toFixed(1)} to ${terrain.highest.toFixed(1)} m, which do not fit in it.`
      : `0 is ${low.toFixed(1)} m and 65 535 is ${high.toFixed(1)} m: steps of ${((span / 65535) * 1000).toFixed(1)} mm.`}
</p>

<h3 class="text-soft mt-4 mb-1 text-sm">Splat maps</h3>
<Segmented
  label="Format of the splat maps"
  side="left"
  value={choice.splat}
  onchange={(v) => (choice.splat = v)}
  choices={(["png", "tiff", "npy", "raw"] as const).map((v) => ({
    value: v,
    name: v === "raw" ? "raw" : v.toUpperCase(),
    about: v === "raw" ? "Bare numbers" : v.toUpperCase(),
  }))}
/>
<div class="mt-1 space-y-1">
  <Segmented
    label="Bits a channel"
    side="left"
    value={String(choice.bits)}
    onchange={(v) => (choice.bits = Number(v) as 4 | 8 | 16)}
    choices={["4", "8", "16"].map((v) => ({ value: v, name: `${v} bits`, about: `${2 ** Number(v)} steps` }))}
  />
  <Segmented
    label="Channels"
    side="left"
    value={String(choice.channels)}
    onchange={(v) => (choice.channels = Number(v) as 1 | 2 | 4)}
    choices={["1", "2", "4"].map((v) => ({
      value: v,
      name: v === "1" ? "1 channel" : `${v} channels`,
      about: v === "4" ? "All of each set" : `The first ${v} of each set`,
    }))}
  />
</div>
<p class="num text-soft mt-1">
  {cells.length}
  {cells.length === 1 ? "set" : "sets"} · {megabytes(inMemory)} in video memory
</p>
{#if choice.bits === 4}
  <div class="mt-1">
    <Toggle
      label="Dither"
      about="Neighbours share the wide steps out between them"
      on={choice.dither}
      onchange={(on) => (choice.dither = on)}
    />
  </div>
{/if}
<div class="mt-1">
  <Toggle
    label="Weights sum to one"
    about="For engines that add weighted layers up, with the ground. Off: mixed in order, higher covers lower"
    on={choice.normalised}
    onchange={(on) => (choice.normalised = on)}
  />
</div>

<h3 class="text-soft mt-4 mb-1 text-sm">Regions along each edge</h3>
<Segmented
  label="Regions along each edge"
  side="left"
  value={String(choice.regions)}
  onchange={(v) => (choice.regions = Number(v))}
  choices={["1", "2", "4", "8", "16"].map((v) => ({
    value: v,
    name: v,
    about: v === "1" ? "One file each" : `${v} × ${v} files that share their edges`,
  }))}
/>
{#if choice.regions > 1}
  <p class="mt-1 text-sm {evenly ? 'text-soft' : 'text-warn'}">
    {evenly
      ? `${(terrain.cols - 1) / choice.regions + 1} × ${(terrain.rows - 1) / choice.regions + 1} heights each; neighbours share their edge.`
      : `${terrain.cols} × ${terrain.rows} heights do not divide so.`}
  </p>
  <div class="mt-1">
    <Toggle
      label="A cell of the neighbours around each splat region"
      about="So that filtering meets no seam"
      on={choice.border > 0}
      onchange={(on) => (choice.border = on ? 1 : 0)}
    />
  </div>
{/if}

<h3 class="text-soft mt-4 mb-1 text-sm">Mesh</h3>
<Choice
  label="Mesh"
  tip="A GLB of the ground, for looking at or for far levels"
  value={String(choice.mesh)}
  choices={[
    { value: "0", name: "None" },
    ...["32", "64", "128", "256", "512"].map((v) => ({
      value: v,
      name: `GLB, ${v} cells along the longer edge`,
    })),
  ]}
  onchange={(v) => (choice.mesh = Number(v))}
/>
<p class="text-soft mt-2 text-sm">
  A manifest goes along: spacing, range, registration, which channel is which layer, and the blend. What goes
  out can be brought in again.
</p>
<div class="mt-4 flex items-center gap-2">
  <button
    type="button"
    class="{PLAIN} flex-1"
    title="Show the splat maps in the picture as these numbers hold them, and say how large the files are"
    onclick={look}>{looking ? "Show what is painted again" : "Look at it first"}</button
  >
</div>
{#if looking && sizes}
  <p class="num text-soft mt-2" role="status">
    {megabytes(sizes.reduce((sum, f) => sum + f.bytes, 0))} on disk in {sizes.length} files, splat maps {megabytes(
      sizes.filter((f) => f.file.startsWith("splat")).reduce((sum, f) => sum + f.bytes, 0),
    )}
  </p>
{/if}
<button type="button" class="{MAIN} mt-3 w-full" disabled={busy || !evenly} onclick={save}>
  {busy ? "Writing …" : `Save ${studio.name}.zip`}
</button>
