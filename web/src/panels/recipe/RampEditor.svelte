<!-- A ramp over how its source is spread on this very surface: drag its ends, or type them. -->
<script lang="ts">
  import { worth } from "../../state/host";
  import { answer, server } from "../../state/server";
  import type { Studio } from "../../state/studio.svelte";
  import { tellError } from "../../state/told";
  import { sourceOf } from "../../state/ingredients";
  import type { BlendDocument, ProfileView, Term } from "../../state/types";
  import { lengthUnit, shownArea, shownLength, typedQuantity } from "../../ui/quantity";

  interface Props {
    studio: Studio;
    term: Term;
    label: string;
    onchange: (change: Partial<Term>) => void;
  }
  const { studio, term, label, onchange }: Props = $props();

  const W = 240;
  const H = 64;
  let svg = $state<SVGSVGElement>();
  let held = $state<"low" | "high" | null>(null);
  let profile = $state.raw<ProfileView | null>(null);
  const { unit } = $derived(sourceOf(term.source.kind));

  const asked = $derived(
    JSON.stringify([
      { ...term, uneven: null },
      studio.selection.set.id,
      studio.surface.id,
      studio.surveys.ended,
    ]),
  );
  $effect(() => {
    void asked;
    // They come after every step: what was painted, undone or measured is told of anew.
    void studio.statistics;
    const wanted = { ...($state.snapshot(term) as Term), uneven: null };
    const timer = setTimeout(() => {
      const path = { ident: studio.surface.id };
      const body = { channel_set: studio.selection.set.id, term: wanted };
      void answer<ProfileView>(server.POST("/api/surfaces/{ident}/profile", { params: { path }, body })).then(
        (found) => (profile = found),
        tellError,
      );
    }, 150);
    return () => clearTimeout(timer);
  });

  /** What the picture runs over: all that there is, and both ends. */
  const from = $derived(Math.min(profile?.low ?? 0, term.low, term.high));
  const upTo = $derived(Math.max(profile?.high ?? 1, term.low, term.high, from + 1e-6));
  const margin = $derived((upTo - from) * 0.04);
  const left = $derived(from - margin);
  const width = $derived(upTo - from + 2 * margin);
  const x = (value: number) => ((value - left) / width) * W;
  const most = $derived(Math.max(1e-6, ...(profile?.shares ?? [])));
  /** The end that gives nothing, then the one that gives all. */
  const ends = $derived<("low" | "high")[]>(term.invert ? ["high", "low"] : ["low", "high"]);
  const none = $derived(term.invert ? term.high : term.low);
  const full = $derived(term.invert ? term.low : term.high);

  const path = $derived.by(() => {
    const [a, b] = [x(term.low), x(term.high)];
    const [ya, yb] = term.invert ? [4, H - 4] : [H - 4, 4];
    return a <= b ? `0,${ya} ${a},${ya} ${b},${yb} ${W},${yb}` : `0,${yb} ${b},${yb} ${a},${ya} ${W},${ya}`;
  });

  function told(value: number): string {
    if (unit === "m") return shownLength(value);
    if (unit === "°") return `${Number(value.toFixed(1))}°`;
    return Number(value.toFixed(3)).toString();
  }

  /** Artists who come from raw normals think of components: 0.5 is 60°, not 45°. */
  const component = $derived(
    unit === "°"
      ? [none, full].map((v) => worth(["cosine", v], {} as BlendDocument, {}).toFixed(2)).join(" … ")
      : "",
  );

  function move(event: PointerEvent): void {
    if (!held) return;
    const box = svg!.getBoundingClientRect();
    const share = Math.min(1, Math.max(0, (event.clientX - box.left) / box.width));
    onchange({ [held]: Number((left + share * width).toPrecision(5)) });
  }

  function typed(event: Event, end: "low" | "high"): void {
    const field = event.currentTarget as HTMLInputElement;
    const shown = unit === "m" ? lengthUnit(term[end]).shown : 1;
    const number = typedQuantity(field.value, shown);
    if (!Number.isNaN(number)) onchange({ [end]: number });
    field.value = told(term[end]);
  }

  function nudge(event: KeyboardEvent, end: "low" | "high"): void {
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowDown: -1, ArrowUp: 1 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    onchange({ [end]: Number((term[end] + (by * width) / 100).toPrecision(5)) });
  }
</script>

<svg
  bind:this={svg}
  viewBox="0 0 {W} {H}"
  preserveAspectRatio="none"
  class="bg-ash h-16 w-full touch-none rounded"
  role="group"
  aria-label={label}
  onpointermove={move}
  onpointerup={() => (held = null)}
  onpointercancel={() => (held = null)}
>
  {#if profile}
    {@const bin = (profile.high - profile.low) / profile.shares.length}
    {#each profile.shares as share, i (i)}
      {@const at = x(profile.low + i * bin)}
      {@const wide = Math.max(2, x(profile.low + (i + 1) * bin) - at - 0.6)}
      {@const height = Math.sqrt(share / most) * (H - 6)}
      <rect x={at} y={H - height} width={wide} {height} class="fill-soft/35" />
    {/each}
  {/if}
  <polyline
    points={path}
    class="stroke-accent fill-none"
    stroke-width="2"
    vector-effect="non-scaling-stroke"
  />
  {#each ["low", "high"] as const as end (end)}
    <ellipse
      cx={x(term[end])}
      cy={(end === "low") === term.invert ? 6 : H - 6}
      rx="5"
      ry="5"
      class="fill-ink stroke-ash cursor-ew-resize"
      role="slider"
      tabindex="0"
      aria-label="{label}, {(end === 'low') === term.invert ? 'full' : 'none'}"
      aria-valuenow={term[end]}
      aria-valuetext={told(term[end])}
      onpointerdown={(e) => {
        held = end;
        e.stopPropagation();
        // A drag that leaves the picture goes on.
        svg!.setPointerCapture(e.pointerId);
      }}
      onkeydown={(e) => nudge(e, end)}
    />
  {/each}
</svg>
<div class="text-soft mt-1 flex flex-wrap items-center justify-between gap-x-2 text-xs">
  {#each ends as end, i (end)}
    <label class="flex items-center gap-1">
      {i === 0 ? "none at" : "full at"}
      <input
        class="num text-ink hover:bg-strong focus:bg-strong rounded bg-transparent px-0.5"
        style:width="max(3.75rem, {told(term[end]).length + 1}ch)"
        aria-label="{label}, {i === 0 ? 'none at' : 'full at'}"
        inputmode="decimal"
        value={told(term[end])}
        onchange={(e) => typed(e, end)}
        onfocus={(e) => e.currentTarget.select()}
        onkeydown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
    </label>
  {/each}
</div>
{#if profile?.problem}
  <p class="text-warn text-xs">{profile.problem}</p>
{:else}
  <!-- One line from the beginning: what is below must not move away under the pen when the numbers arrive. -->
  <p class="num text-soft text-xs" title="How much of the surface this term takes in, by its ramp">
    {#if !profile}
      …
    {:else if profile.measured}
      {Math.round(profile.covered * 100)} % · {shownArea(profile.covered * profile.area)}
    {:else}
      Not measured here yet
    {/if}
  </p>
{/if}
{#if component}
  <p class="text-soft text-xs" title="The part of the normal along the direction: 0.5 is 60°, not 45°">
    as a part of the normal {component}
  </p>
{/if}
