<!-- The tool in hand: the brush, whole faces, or a gradient. -->
<script lang="ts">
  import { untrack } from "svelte";

  import { TARGETS } from "../state/brush.svelte";
  import { brushProfile } from "../state/profiles.svelte";
  import { heightsIn, onGrid, terrainOf } from "../state/sites";
  import type { Studio } from "../state/studio.svelte";
  import type { Brush } from "../state/types";
  import CurveEditor from "../ui/CurveEditor.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import Slider from "../ui/Slider.svelte";
  import { MAIN } from "../ui/button";
  import Toggle from "../ui/Toggle.svelte";
  import BrushMore from "./BrushMore.svelte";

  const { studio }: { studio: Studio } = $props();
  const brush = $derived(studio.brush.settings);

  const diagonal = $derived(Math.hypot(...(studio.surface.facts["size"] as number[])));
  const FEW = 8;
  const under = $derived(studio.probing.sample?.sites_under_brush ?? null);
  const onMap = $derived(onGrid(studio.selection.set));
  function unwrap(): void {
    studio.preparing.at = "levels";
    studio.selection.side = "prepare";
  }
  const few = $derived(under !== null && under < FEW);

  /** The profile across the brush with a falloff, as an SVG path 100 wide and 40 high. */
  function profileOf(falloff: NonNullable<Brush["falloff"]>): string {
    // A curve of one's own is drawn by the server when it is in hand; until then an outline of its points does.
    if (falloff === "curve" && brush.falloff !== "curve")
      return "M0,38 L18,30 L34,10 L50,4 L66,10 L82,30 L100,38";
    const rim = brushProfile({ ...brush, falloff })?.heights ?? [];
    const across = [...rim.slice(1).reverse(), ...rim];
    const points = across.map((height, i) => {
      const x = (i / Math.max(1, across.length - 1)) * 100;
      return `${x.toFixed(2)},${(38 - 34 * height).toFixed(2)}`;
    });
    return points.length ? `M0,38 L${points.join(" L")} L100,38` : "";
  }

  type Act = NonNullable<Brush["act"]>;
  const ACTS: { value: Act; name: string; about: string; key?: string }[] = [
    { value: "paint", name: "Paint", about: "Paint toward a weight" },
    { value: "erase", name: "Erase", about: "Lift paint off; the undercoat shows again", key: "E" },
    { value: "add", name: "Add", about: "Raise what is there", key: "A" },
    { value: "subtract", name: "Subtract", about: "Lower what is there", key: "Shift+A" },
    { value: "smooth", name: "Smooth", about: "Even out over a distance along the surface", key: "M" },
    { value: "sharpen", name: "Sharpen", about: "Raise contrast around the local mean", key: "Shift+M" },
    { value: "smear", name: "Smear", about: "Drag what is there along", key: "R" },
    { value: "sampled", name: "Spread", about: "Paint the value found where the stroke begins", key: "N" },
  ];

  const FALLOFF_NAMES: { value: NonNullable<Brush["falloff"]>; name: string; about: string }[] = [
    { value: "smooth", name: "Smooth", about: "Level at the centre and at the rim" },
    { value: "linear", name: "Linear", about: "Even slope from centre to rim" },
    { value: "dome", name: "Dome", about: "Full for long, steep at the rim" },
    { value: "flat", name: "Flat", about: "Full up to the rim" },
    { value: "curve", name: "Own", about: "A curve of your own, centre left, rim right" },
  ];
  const target = $derived(TARGETS[brush.act]);
  /** On heights, weights are metres: from the lowest that can be painted, or, of an amount, of all that can. */
  const ground = $derived(heightsIn(studio.selection.set, studio.surface));
  const heights = $derived.by(() => {
    if (!ground) return null;
    const span = ground.painted_high - ground.painted_low;
    const level = brush.act === "paint";
    return { low: level ? ground.painted_low : 0, span, level };
  });
  $effect(() => {
    const meaning = heights ? (heights.level ? "heights" : "metres") : "weights";
    const first = !heights ? 1 : heights.level ? -heights.low / heights.span : FIRST_METRES / heights.span;
    untrack(() => studio.brush.settle(meaning, Math.min(1, Math.max(0, first))));
  });
  const FIRST_METRES = 2;
  const OF_HEIGHTS: Partial<Record<Act, string>> = {
    paint: "Flatten",
    erase: "As was",
    add: "Raise",
    subtract: "Lower",
  };
</script>

<section class="px-3 pt-2 pb-3" aria-label="Brush">
  <Segmented
    label="Tool"
    tight
    value={studio.selection.tool === "choose" || studio.selection.tool === "parts"
      ? "brush"
      : studio.selection.tool}
    onchange={(v) => (studio.selection.tool = v)}
    choices={[
      { value: "brush", name: "Brush", about: "Paint strokes", key: "T" },
      ...(terrainOf(studio.surface)
        ? []
        : [
            {
              value: "faces" as const,
              name: "Faces",
              about: "Fill whole faces by clicking them",
              key: "T",
            },
          ]),
      ...(terrainOf(studio.surface)
        ? [
            {
              value: "path" as const,
              name: "Path",
              about: "Paint along a smooth way through places that you click",
              key: "T",
            },
          ]
        : []),
      { value: "gradient", name: "Gradient", about: "Drag from nothing to the full weight", key: "T" },
    ]}
  />
  {#if studio.selection.tool === "choose"}
    <p class="text-warn mt-2 text-sm">Choosing faces: outline them or click. Esc gives the brush back.</p>
  {/if}
  {#if studio.selection.tool === "parts"}
    <p class="text-warn mt-2 text-sm">Picking parts: click them. Esc gives the brush back.</p>
  {/if}
  {#if studio.selection.tool === "path"}
    <div class="mt-2 text-sm">
      <p class="text-soft">
        {studio.selection.path.length
          ? `${studio.selection.path.length} ${studio.selection.path.length === 1 ? "place" : "places"}. Backspace takes the last away, Esc all.`
          : "Click where the path should go: the brush below is drawn along it."}
      </p>
      <button
        type="button"
        class="{MAIN} mt-1.5 w-full"
        disabled={studio.selection.path.length < 2}
        onclick={() => studio.painting.along()}>Paint the path</button
      >
    </div>
  {/if}
  {#if ["brush", "choose", "parts", "path"].includes(studio.selection.tool)}
    <div class="mt-1.5 grid grid-cols-4 gap-0.5" role="radiogroup" aria-label="What the brush does">
      {#each ACTS as act (act.value)}
        <button
          type="button"
          role="radio"
          aria-checked={brush.act === act.value}
          title="{act.about}{act.key ? ` (${act.key})` : ''}"
          class="hover:text-ink h-7 rounded-md px-0.5 text-[clamp(0.69rem,0.95vw,0.8125rem)] {brush.act ===
          act.value
            ? 'bg-strong text-ink'
            : 'text-soft bg-ash'}"
          onclick={() => studio.brush.set("act", act.value)}
          >{(heights && OF_HEIGHTS[act.value]) ?? act.name}</button
        >
      {/each}
    </div>
    <p class="mt-1 flex items-baseline justify-between gap-2 text-sm" data-testid="sites-under-brush">
      {#if under === null}
        <span class="text-soft">Point at the surface</span>
      {:else if few}
        <span class="text-warn">
          {#if under === 0}
            {onMap ? "No texels here: a stroke would touch nothing" : "A stroke would touch nothing here"}
          {:else}
            Only {under} site{under === 1 ? "" : "s"} under it
          {/if}
        </span>
        {#if terrainOf(studio.surface)}
          <span class="text-soft">{under === 0 ? "" : "A set of finer cells holds more"}</span>
        {:else if onMap}
          <button type="button" class="text-accent underline" onclick={unwrap}>
            {under === 0 ? "Unwrap the mesh" : "A larger map"}
          </button>
        {:else}
          <button type="button" class="text-accent underline" onclick={() => studio.preparing.remedyGrain()}
            >Refine here</button
          >
        {/if}
      {:else}
        <span class="num text-soft">{under.toLocaleString("en")} sites under it</span>
      {/if}
    </p>
    <div class="mt-1">
      <Slider
        label="Radius"
        value={brush.radius}
        min={diagonal / 2000}
        max={diagonal / 2}
        logarithmic
        length
        tip="Radius of the brush on the surface; or hold D and drag across"
        key=", ."
        onchange={(v) => studio.brush.set("radius", v)}
      />
      <Slider
        label="Strength"
        value={brush.strength}
        min={0}
        max={1}
        shown={100}
        digits={0}
        unit="%"
        tip="How far one stroke goes; or hold D and drag up and down"
        key="Shift+, Shift+."
        onchange={(v) => studio.brush.set("strength", v)}
      />
      {#if target && heights && brush.act !== "sharpen"}
        <Slider
          label={heights.level ? "To height" : "By"}
          value={heights.low + brush.target * heights.span}
          min={heights.low}
          max={heights.low + heights.span}
          unit="m"
          tip={heights.level ? "The height that the ground is brought to" : target.about}
          key={heights.level ? "I" : undefined}
          onchange={(v) => studio.brush.set("target", (v - heights.low) / heights.span)}
        />
      {:else if target}
        <Slider
          label={target.name}
          value={brush.target}
          min={0}
          max={1}
          tip={target.about}
          key={brush.act === "paint" ? "I" : undefined}
          onchange={(v) => studio.brush.set("target", v)}
        />
      {/if}
      {#if brush.act === "smooth" || brush.act === "sharpen"}
        <Slider
          label="Looks over"
          value={brush.smoothing}
          min={0.02}
          max={0.5}
          shown={100}
          digits={0}
          unit="%"
          tip="How far the local mean reaches, as a share of the radius"
          onchange={(v) => studio.brush.set("smoothing", v)}
        />
      {/if}
    </div>
    <div class="mt-1.5 grid grid-cols-5 gap-1" role="radiogroup" aria-label="Falloff">
      {#each FALLOFF_NAMES as choice (choice.value)}
        <button
          type="button"
          role="radio"
          aria-checked={brush.falloff === choice.value}
          aria-label={choice.name}
          title="{choice.name}: {choice.about}"
          class="h-7 rounded-md px-1 {brush.falloff === choice.value
            ? 'bg-strong'
            : 'bg-ash hover:bg-raised'}"
          onclick={() => studio.brush.set("falloff", choice.value)}
        >
          <svg viewBox="0 0 100 40" preserveAspectRatio="none" class="h-4 w-full" aria-hidden="true">
            <path
              d={profileOf(choice.value)}
              class="fill-none {brush.falloff === choice.value ? 'stroke-accent' : 'stroke-soft'}"
              stroke-width="1.5"
              vector-effect="non-scaling-stroke"
            />
          </svg>
        </button>
      {/each}
    </div>
    {#if brush.falloff === "curve" && brush.curve}
      <div class="mt-1">
        <CurveEditor
          label="Falloff from centre to rim"
          curve={brush.curve}
          onchange={(curve) => studio.brush.set("curve", curve)}
        />
      </div>
    {/if}
    <div class="narrow mt-1.5 grid grid-cols-2 gap-1">
      <Segmented
        label="Reach"
        tight
        value={brush.reach}
        onchange={(v) => studio.brush.set("reach", v)}
        choices={[
          {
            value: "skin",
            name: "Skin",
            about: "Only what is connected to the hit: no paint through thin walls or over hard borders",
          },
          { value: "ball", name: "Ball", about: "Everything within the radius" },
        ]}
      />
      <Segmented
        label="Coats"
        tight
        value={brush.coat}
        onchange={(v) => studio.brush.set("coat", v)}
        choices={[
          {
            value: "single",
            name: "Single",
            about: "A single coat: going over a place again in one stroke adds nothing",
          },
          { value: "many", name: "Many", about: "Many coats: passes build up, to the strength at most" },
        ]}
      />
    </div>
    <BrushMore {studio} />
  {:else if studio.selection.tool === "faces"}
    <p class="text-soft mt-2 mb-1 text-sm">A click or a drag fills</p>
    <div class="grid grid-cols-3 gap-0.5" role="radiogroup" aria-label="What is filled">
      {#each [["face", "Triangle", "Single triangles"], ["quad", "Quad", "Two flat triangles together"], ["part", "Part", "All that is connected"], ["group", "Group", "The group of faces"], ["island", "UV island", "A piece of the first UV set"], ["all", "Everything", "The whole surface"]] as const as [value, name, about] (value)}
        <button
          type="button"
          role="radio"
          aria-checked={studio.selection.faces.unit === value}
          title={about}
          class="hover:text-ink h-7 rounded-md text-sm {studio.selection.faces.unit === value
            ? 'bg-strong text-ink'
            : 'text-soft bg-ash'}"
          onclick={() => (studio.selection.faces.unit = value)}>{name}</button
        >
      {/each}
    </div>
    <div class="mt-2">
      <Slider
        label="Weight"
        value={brush.target}
        min={0}
        max={1}
        tip="The weight that the faces get; with X held, 0"
        onchange={(v) => studio.brush.set("target", v)}
      />
    </div>
    <div class="mt-2">
      <Toggle
        label="Hard edge"
        about="Split the vertices around the faces, so that nothing fades into their neighbours"
        on={studio.selection.faces.hard}
        onchange={(on) => (studio.selection.faces.hard = on)}
      />
      <p class="text-soft mt-1 text-xs">
        {studio.selection.faces.hard
          ? "Adds vertices around the faces; the step tells how many."
          : "Without it, weights fade over the neighbouring triangles."}
      </p>
    </div>
  {:else}
    <p class="text-soft mt-2 text-sm">
      Drag over the surface: nothing where you begin, the full weight where you end, level beyond.
    </p>
    <div class="mt-2">
      <Slider
        label="Weight"
        value={brush.target}
        min={0}
        max={1}
        tip="The weight at the end of the gradient"
        onchange={(v) => studio.brush.set("target", v)}
      />
    </div>
  {/if}
</section>

<style>
  .narrow :global(button) {
    padding-inline: 0.3rem;
  }
</style>
