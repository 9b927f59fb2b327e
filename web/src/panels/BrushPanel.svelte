<script lang="ts">
  import { FALLOFFS } from "../state/brush.svelte";
  import type { Studio } from "../state/studio.svelte";
  import type { Brush } from "../state/types";
  import Segmented from "../ui/Segmented.svelte";
  import Slider from "../ui/Slider.svelte";

  const { studio }: { studio: Studio } = $props();
  const brush = $derived(studio.brush.settings);
  let more = $state(false);

  const diagonal = $derived(Math.hypot(...(studio.surface.facts["size"] as number[])));

  /** The profile across the brush, as an SVG path 100 wide and 40 high. */
  const profile = $derived.by(() => {
    const f = FALLOFFS[brush.falloff];
    const points = Array.from({ length: 61 }, (_, i) => {
      const t = Math.abs(i / 30 - 1);
      return `${((i / 60) * 100).toFixed(2)},${(38 - 34 * f(t) * brush.strength).toFixed(2)}`;
    });
    return `M0,38 L${points.join(" L")} L100,38`;
  });

  const FALLOFF_NAMES: { value: Brush["falloff"]; name: string; about: string }[] = [
    { value: "smooth", name: "Smooth", about: "Level at the centre and at the rim" },
    { value: "linear", name: "Linear", about: "Even slope from centre to rim" },
    { value: "dome", name: "Dome", about: "Full for long, steep at the rim" },
    { value: "flat", name: "Flat", about: "Full up to the rim" },
  ];
</script>

<section class="px-4 pt-3 pb-4" aria-label="Brush">
  <header class="mb-2 flex items-center justify-between">
    <h2 class="font-semibold">Brush</h2>
    <span class="num text-soft" data-testid="sites-under-brush">
      {studio.coreSample ? `${studio.coreSample.sites_under_brush.toLocaleString("en")} sites under it` : ""}
    </span>
  </header>
  <Segmented
    label="What the brush does"
    value={brush.act}
    onchange={(v) => studio.brush.set("act", v)}
    choices={[
      { value: "paint", name: "Paint", about: "Paint toward the target weight", key: "E" },
      { value: "erase", name: "Erase", about: "Lift paint off; the undercoat shows again", key: "E" },
    ]}
  />
  <div class="mt-2">
    <Slider
      label="Radius"
      value={brush.radius}
      min={Math.max(0.001, diagonal / 2000)}
      max={diagonal / 2}
      logarithmic
      unit="m"
      tip="Radius of the brush on the surface"
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
      tip="How far one stroke goes toward the target"
      key="Shift+, Shift+."
      onchange={(v) => studio.brush.set("strength", v)}
    />
    {#if brush.act === "paint"}
      <Slider
        label="Toward"
        value={brush.target}
        min={0}
        max={1}
        tip="The weight that the paint has: 0 clears, 1 is full"
        onchange={(v) => studio.brush.set("target", v)}
      />
    {/if}
  </div>
  <svg
    viewBox="0 0 100 40"
    preserveAspectRatio="none"
    class="mt-0.5 h-9 w-full"
    role="img"
    aria-label="Profile of the brush"
  >
    <path
      d={profile}
      class="fill-accent/20 stroke-accent"
      stroke-width="1.5"
      vector-effect="non-scaling-stroke"
    />
  </svg>
  <div class="mt-1">
    <Segmented
      label="Falloff"
      value={brush.falloff}
      onchange={(v) => studio.brush.set("falloff", v)}
      choices={FALLOFF_NAMES}
    />
  </div>
  <div class="mt-2 grid gap-2">
    <Segmented
      label="Reach"
      value={brush.reach}
      onchange={(v) => studio.brush.set("reach", v)}
      choices={[
        {
          value: "skin",
          name: "Skin",
          about: "Only what is connected to the hit: no paint through thin walls",
        },
        { value: "ball", name: "Ball", about: "Everything within the radius" },
      ]}
    />
    <Segmented
      label="Coats"
      value={brush.coat}
      onchange={(v) => studio.brush.set("coat", v)}
      choices={[
        {
          value: "single",
          name: "Single coat",
          about: "Going over a place again in one stroke adds nothing",
        },
        { value: "many", name: "Many coats", about: "Passes build up, to the strength at most" },
      ]}
    />
  </div>
  <button
    type="button"
    class="text-soft hover:text-ink mt-2 text-sm"
    aria-expanded={more}
    title="Flow, spacing, facing limit, pen pressure"
    onclick={() => (more = !more)}>{more ? "Fewer settings" : "More settings"}</button
  >
  {#if more}
    <div class="mt-1">
      {#if brush.coat === "many"}
        <Slider
          label="Flow"
          value={brush.flow}
          min={0.01}
          max={1}
          shown={100}
          digits={0}
          unit="%"
          tip="How much each dab adds"
          onchange={(v) => studio.brush.set("flow", v)}
        />
      {/if}
      <Slider
        label="Spacing"
        value={brush.spacing}
        min={0.02}
        max={1}
        shown={100}
        digits={0}
        unit="%"
        tip="Distance between dabs along the stroke, in radii"
        onchange={(v) => studio.brush.set("spacing", v)}
      />
      <Slider
        label="Facing limit"
        value={brush.facing_limit}
        min={0}
        max={180}
        step={1}
        digits={0}
        unit="°"
        tip="Sites turned away from the brush by more than this are left alone; 180 takes all"
        onchange={(v) => studio.brush.set("facing_limit", v)}
      />
      <p class="text-soft mt-1 mb-1 text-sm">Pen pressure drives</p>
      <Segmented
        label="Pen pressure drives"
        value={brush.pressure_drives}
        onchange={(v) => studio.brush.set("pressure_drives", v)}
        choices={[
          { value: "strength", name: "Strength", about: "Press harder for more" },
          { value: "radius", name: "Radius", about: "Press harder for wider" },
          { value: "nothing", name: "Nothing", about: "Pressure is ignored" },
        ]}
      />
    </div>
  {/if}
</section>
