<!-- Fills: acts on the whole channel, shown before they are kept. -->
<script lang="ts">
  import { onDestroy, untrack } from "svelte";

  import type { Studio } from "../state/studio.svelte";
  import { LETTERS, type AnyFill } from "../state/types";
  import { MAIN, PLAIN, QUIET } from "../ui/button";
  import Choice from "../ui/Choice.svelte";
  import CurveEditor from "../ui/CurveEditor.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import Slider from "../ui/Slider.svelte";
  import Toggle from "../ui/Toggle.svelte";

  const { studio }: { studio: Studio } = $props();

  type Act = AnyFill["act"];
  type Of<A extends Act> = Extract<AnyFill, { act: A }>;

  // The panel is made anew when the mesh is another one.
  const facts = untrack(() => studio.surface.facts);
  const low = facts["low"] as [number, number, number];
  const size = facts["size"] as [number, number, number];
  const [bottom, top] = [low[1], low[1] + size[1]];
  const diagonal = Math.hypot(...size);

  let act = $state<Act>("height");
  let fills = $state<{ [A in Act]: Of<A> }>({
    even: { act: "even", weight: 1 },
    invert: { act: "invert" },
    lift: { act: "lift" },
    height: {
      act: "height",
      weight: 1,
      low: bottom,
      high: bottom + size[1] / 2,
      soft: size[1] / 10,
      rough: 0,
      rough_metres: diagonal / 20,
    },
    facing: { act: "facing", weight: 1, direction: [0, 1, 0], full: 20, none: 50 },
    border: { act: "border", weight: 1, group: null, keep: 0, width: diagonal / 20 },
    gradient: { act: "gradient", begin: [0, 0, 0], end: [0, 1, 0], begin_weight: 0, end_weight: 1, beyond: true },
    noise: { act: "noise", metres: diagonal / 20, seed: 0, low: 0.35, high: 0.65, amount: 1 },
    levels: { act: "levels", curve: { points: [[0, 0], [1, 1]] } },
    threshold: { act: "threshold", value: 0.5, soft: 0 },
    smooth: { act: "smooth", metres: diagonal / 100, amount: 1 },
    clear_below: { act: "clear_below", height: bottom, soft: size[1] / 10 },
    mix: { act: "mix", mode: "replace", inverted: false, amount: 1 },
  }); // prettier-ignore

  const LIST: { act: Act; name: string; about: string }[] = [
    { act: "height", name: "Height", about: "A band of heights, with soft or rough edges" },
    { act: "facing", name: "Facing", about: "What faces a direction" },
    { act: "border", name: "Border", about: "Away from a group's border or open edges, along the surface" },
    { act: "gradient", name: "Axis gradient", about: "From one weight to another along an axis" },
    { act: "noise", name: "Noise", about: "Clouds that lie on the surface" },
    { act: "mix", name: "Mix channel", about: "Another channel, copied or mixed in" },
    { act: "levels", name: "Levels", about: "A curve over what is there" },
    { act: "threshold", name: "Threshold", about: "Full above a value, nothing below" },
    { act: "smooth", name: "Smooth all", about: "Even the whole channel out" },
    { act: "clear_below", name: "Clear below", about: "Nothing below a height: roots that must stay still" },
    { act: "even", name: "Even", about: "One weight everywhere" },
    { act: "invert", name: "Invert", about: "One minus what is there" },
    { act: "lift", name: "Lift paint", about: "All hand paint off" },
  ];

  let axis = $state<"x" | "y" | "z">("y");
  let source = $state("");
  const sources = $derived(
    studio.ownSets.flatMap((s) =>
      s.document.channels.map((c, i) => ({
        value: `${s.id}/${i}`,
        name: `${s.document.name} · ${LETTERS[i]} ${c.name}`,
      })),
    ),
  );
  const sourceAddress = $derived.by(() => {
    const [channel_set, channel] = (source || sources[0]?.value || "").split("/");
    return { channel_set: channel_set ?? "", channel: Number(channel) };
  });

  function alongAxis(): [[number, number, number], [number, number, number]] {
    const i = { x: 0, y: 1, z: 2 }[axis];
    const from: [number, number, number] = [...low];
    const to: [number, number, number] = [...low];
    to[i] = low[i]! + size[i]!;
    return [from, to];
  }

  const wanted = $derived.by<AnyFill>(() => {
    const fill = $state.snapshot(fills[act]) as AnyFill;
    if (fill.act !== "gradient") return fill;
    const [begin, end] = alongAxis();
    return { ...fill, begin, end };
  });
  const more = $derived(act === "mix" ? { source: sourceAddress } : {});

  // Shown as it would be, a moment after the last change.
  let showing = $state(true);
  let timer: ReturnType<typeof setTimeout> | undefined;
  $effect(() => {
    const fill = wanted;
    const also = more;
    const on = `${studio.set.id}/${studio.activeChannel}`;
    clearTimeout(timer);
    if (!showing) return;
    timer = setTimeout(() => {
      if (on && studio.live.connection === "ready" && !studio.painting.active && !studio.channel.locked) {
        studio.painting.fill(fill, { ...also, preview: true });
      }
    }, 180);
  });
  onDestroy(() => {
    clearTimeout(timer);
    studio.painting.endPreview();
  });

  function apply(): void {
    showing = false;
    studio.painting.fill(wanted, more);
  }
  function look(on: boolean): void {
    showing = on;
    if (!on) studio.painting.endPreview();
  }

  const histogram = $derived(
    studio.statistics?.channels[studio.set.id]?.[studio.activeChannel]?.histogram ?? undefined,
  );
  const DIRECTIONS = {
    up: { name: "Up", to: [0, 1, 0] },
    down: { name: "Down", to: [0, -1, 0] },
    east: { name: "+X", to: [1, 0, 0] },
    west: { name: "−X", to: [-1, 0, 0] },
    south: { name: "+Z", to: [0, 0, 1] },
    north: { name: "−Z", to: [0, 0, -1] },
  } as const;
  const facing = $derived(
    (Object.keys(DIRECTIONS) as (keyof typeof DIRECTIONS)[]).find(
      (key) => DIRECTIONS[key].to.join() === fills.facing.direction.join(),
    ) ?? "up",
  );
  const MODES = ["replace", "multiply", "add", "subtract", "max", "min", "screen"] as const;
</script>

{#snippet weight(fill: { weight: number })}
  <Slider
    label="Weight"
    value={fill.weight}
    min={0}
    max={1}
    tip="The weight painted toward"
    onchange={(v) => (fill.weight = v)}
  />
{/snippet}

<section class="px-4 py-3" aria-label="Fills">
  <header class="mb-1">
    <h2 class="font-semibold">Fill {studio.channel.name}</h2>
    <p class="text-soft text-sm">Shown as it would be; nothing changes until you keep it.</p>
  </header>
  <div class="grid grid-cols-3 gap-0.5" role="radiogroup" aria-label="Kind of fill">
    {#each LIST as entry (entry.act)}
      <button
        type="button"
        role="radio"
        aria-checked={act === entry.act}
        title={entry.about}
        class="hover:text-ink h-7 truncate rounded-md px-1 text-sm {act === entry.act
          ? 'bg-strong text-ink'
          : 'text-soft bg-ash'}"
        onclick={() => {
          act = entry.act;
          showing = true;
        }}>{entry.name}</button
      >
    {/each}
  </div>
  <div class="mt-3 space-y-1">
    {#if act === "height"}
      {@render weight(fills.height)}
      <Slider
        label="From"
        unit="m"
        value={fills.height.low}
        min={bottom - size[1] / 4}
        max={top + size[1] / 4}
        tip="Lower end of the band"
        onchange={(v) => (fills.height.low = v)}
      />
      <Slider
        label="To"
        unit="m"
        value={fills.height.high}
        min={bottom - size[1] / 4}
        max={top + size[1] / 4}
        tip="Upper end of the band"
        onchange={(v) => (fills.height.high = v)}
      />
      <Slider
        label="Soft"
        unit="m"
        value={fills.height.soft}
        min={0}
        max={Math.max(size[1], 0.1)}
        tip="Over how many metres each end fades"
        onchange={(v) => (fills.height.soft = v)}
      />
      <Slider
        label="Rough"
        unit="m"
        value={fills.height.rough}
        min={0}
        max={Math.max(size[1] / 2, 0.1)}
        tip="How far noise moves the ends up and down"
        onchange={(v) => (fills.height.rough = v)}
      />
    {:else if act === "facing"}
      {@render weight(fills.facing)}
      <Segmented
        label="Direction"
        side="left"
        value={facing}
        onchange={(v) => (fills.facing.direction = [...DIRECTIONS[v].to])}
        choices={(Object.keys(DIRECTIONS) as (keyof typeof DIRECTIONS)[]).map((key) => ({
          value: key,
          name: DIRECTIONS[key].name,
          about: `Toward ${DIRECTIONS[key].name}`,
        }))}
      />
      <Slider
        label="Full within"
        unit="°"
        digits={0}
        step={1}
        value={fills.facing.full}
        min={0}
        max={180}
        tip="Angle to the direction up to which it is full"
        onchange={(v) => (fills.facing.full = v)}
      />
      <Slider
        label="Nothing beyond"
        unit="°"
        digits={0}
        step={1}
        value={fills.facing.none}
        min={0}
        max={180}
        tip="Angle from which nothing is painted"
        onchange={(v) => (fills.facing.none = v)}
      />
    {:else if act === "border"}
      {@render weight(fills.border)}
      <Choice
        label="Border of"
        tip="Which border distances are measured from"
        value={fills.border.group ?? ""}
        choices={[
          { value: "", name: "Open edges" },
          ...studio.groups.map((g) => ({ value: g.name, name: g.name })),
        ]}
        onchange={(v) => (fills.border.group = v || null)}
      />
      <Slider
        label="Full for"
        unit="m"
        value={fills.border.keep}
        min={0}
        max={diagonal / 4}
        tip="Metres from the border that are full"
        onchange={(v) => (fills.border.keep = v)}
      />
      <Slider
        label="Fades over"
        unit="m"
        value={fills.border.width}
        min={diagonal / 2000}
        max={diagonal / 2}
        logarithmic
        tip="Metres over which the weight then falls to nothing"
        onchange={(v) => (fills.border.width = v)}
      />
    {:else if act === "gradient"}
      <Segmented
        label="Axis"
        side="left"
        value={axis}
        onchange={(v) => (axis = v)}
        choices={(["x", "y", "z"] as const).map((a) => ({
          value: a,
          name: a.toUpperCase(),
          about: `Along ${a.toUpperCase()}`,
        }))}
      />
      <Slider
        label="Begins with"
        value={fills.gradient.begin_weight}
        min={0}
        max={1}
        tip="Weight at the low end"
        onchange={(v) => (fills.gradient.begin_weight = v)}
      />
      <Slider
        label="Ends with"
        value={fills.gradient.end_weight}
        min={0}
        max={1}
        tip="Weight at the high end"
        onchange={(v) => (fills.gradient.end_weight = v)}
      />
      <p class="text-soft text-xs">For two places of your own take the Gradient tool on the left.</p>
    {:else if act === "noise"}
      <Slider
        label="Size"
        unit="m"
        value={fills.noise.metres}
        min={diagonal / 2000}
        max={diagonal}
        logarithmic
        tip="Size of its features"
        onchange={(v) => (fills.noise.metres = v)}
      />
      <Slider
        label="Empty below"
        value={fills.noise.low}
        min={0}
        max={1}
        tip="Noise values below this become 0"
        onchange={(v) => (fills.noise.low = v)}
      />
      <Slider
        label="Full above"
        value={fills.noise.high}
        min={0}
        max={1}
        tip="Noise values above this become 1"
        onchange={(v) => (fills.noise.high = v)}
      />
      <Slider
        label="Amount"
        value={fills.noise.amount}
        min={0}
        max={1}
        tip="How much of it"
        onchange={(v) => (fills.noise.amount = v)}
      />
      <button type="button" class={PLAIN} onclick={() => (fills.noise.seed = (fills.noise.seed + 1) % 1000)}
        >Another pattern</button
      >
    {:else if act === "mix"}
      <Choice
        label="Channel to mix in"
        tip="From any set of this surface; vertices and maps convert"
        value={source || sources[0]?.value || ""}
        choices={sources}
        onchange={(v) => (source = v)}
      />
      <div class="mt-1 grid grid-cols-4 gap-0.5" role="radiogroup" aria-label="How it is mixed">
        {#each MODES as mode (mode)}
          <button
            type="button"
            role="radio"
            aria-checked={fills.mix.mode === mode}
            class="hover:text-ink h-7 rounded-md text-sm capitalize {fills.mix.mode === mode
              ? 'bg-strong text-ink'
              : 'text-soft bg-ash'}"
            onclick={() => (fills.mix.mode = mode)}>{mode}</button
          >
        {/each}
      </div>
      <Slider
        label="Amount"
        value={fills.mix.amount}
        min={0}
        max={1}
        tip="How much of the result"
        onchange={(v) => (fills.mix.amount = v)}
      />
      <Toggle
        label="Invert it first"
        about="One minus the other channel"
        on={fills.mix.inverted}
        onchange={(on) => (fills.mix.inverted = on)}
      />
      <button
        type="button"
        class="{PLAIN} mt-1"
        title="Exchange the two channels"
        onclick={() => {
          studio.painting.endPreview();
          showing = false;
          studio.painting.swap(sourceAddress);
        }}>Swap the two</button
      >
    {:else if act === "levels"}
      <CurveEditor
        label="Levels"
        curve={fills.levels.curve}
        {histogram}
        onchange={(curve) => (fills.levels.curve = curve as { points: [number, number][] })}
      />
      <p class="text-soft text-xs">Across: what is there. Up: what it becomes. Click the line for a point.</p>
    {:else if act === "threshold"}
      <Slider
        label="Value"
        value={fills.threshold.value}
        min={0}
        max={1}
        tip="Full above, nothing below"
        onchange={(v) => (fills.threshold.value = v)}
      />
      <Slider
        label="Soft"
        value={fills.threshold.soft}
        min={0}
        max={1}
        tip="Width of the step"
        onchange={(v) => (fills.threshold.soft = v)}
      />
    {:else if act === "smooth"}
      <Slider
        label="Over"
        unit="m"
        value={fills.smooth.metres}
        min={diagonal / 2000}
        max={diagonal / 10}
        logarithmic
        tip="How far it evens out along the surface"
        onchange={(v) => (fills.smooth.metres = v)}
      />
      <Slider
        label="Amount"
        value={fills.smooth.amount}
        min={0}
        max={1}
        tip="How much of it"
        onchange={(v) => (fills.smooth.amount = v)}
      />
    {:else if act === "clear_below"}
      <Slider
        label="Height"
        unit="m"
        value={fills.clear_below.height}
        min={bottom}
        max={top}
        tip="Nothing below this"
        onchange={(v) => (fills.clear_below.height = v)}
      />
      <Slider
        label="Soft"
        unit="m"
        value={fills.clear_below.soft}
        min={0}
        max={Math.max(size[1], 0.1)}
        tip="Over how many metres paint comes back above it"
        onchange={(v) => (fills.clear_below.soft = v)}
      />
    {:else if act === "even"}
      {@render weight(fills.even)}
    {:else}
      <p class="text-soft text-sm">{LIST.find((l) => l.act === act)?.about}.</p>
    {/if}
  </div>
  <div class="mt-4 flex items-center gap-2">
    <button type="button" class="{MAIN} flex-1" disabled={studio.channel.locked} onclick={apply}
      >Keep it</button
    >
    <button type="button" class={QUIET} onclick={() => look(!showing)}
      >{showing ? "Hide preview" : "Preview"}</button
    >
    <button type="button" class={QUIET} onclick={() => (studio.side = "blend")}>Done</button>
  </div>
  {#if studio.channel.locked}<p class="text-warn mt-2 text-sm">{studio.channel.name} is locked.</p>{/if}
</section>
