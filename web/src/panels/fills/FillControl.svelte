<!-- One thing to set of a fill. -->
<script lang="ts">
  import type { Studio } from "../../state/studio.svelte";
  import type { Curve } from "../../state/types";
  import { PLAIN } from "../../ui/button";
  import Choice from "../../ui/Choice.svelte";
  import CurveEditor from "../../ui/CurveEditor.svelte";
  import Segmented from "../../ui/Segmented.svelte";
  import Slider from "../../ui/Slider.svelte";
  import Toggle from "../../ui/Toggle.svelte";
  import type { Control } from "./kinds";

  interface Props {
    studio: Studio;
    control: Control;
    /** The fill's settings by name; changed in place. */
    fill: Record<string, unknown>;
    axis: "x" | "y" | "z";
    source: string;
    sources: { value: string; name: string }[];
    onswap: () => void;
  }
  let { studio, control, fill, axis = $bindable(), source = $bindable(), sources, onswap }: Props = $props();

  const DIRECTIONS = {
    up: { name: "Up", to: [0, 1, 0] },
    down: { name: "Down", to: [0, -1, 0] },
    east: { name: "+X", to: [1, 0, 0] },
    west: { name: "−X", to: [-1, 0, 0] },
    south: { name: "+Z", to: [0, 0, 1] },
    north: { name: "−Z", to: [0, 0, -1] },
  } as const;
  type Direction = keyof typeof DIRECTIONS;
  const NAMES = Object.keys(DIRECTIONS) as Direction[];
  const MODES = ["replace", "multiply", "add", "subtract", "max", "min", "screen"] as const;

  const facing = $derived(
    NAMES.find((key) => DIRECTIONS[key].to.join() === (fill["direction"] as number[] | undefined)?.join()) ??
      "up",
  );
  const histogram = $derived(
    studio.statistics?.channels[studio.set.id]?.[studio.activeChannel]?.histogram ?? undefined,
  );
</script>

{#if control.kind === "slider"}
  <Slider {...control} value={fill[control.of] as number} onchange={(v: number) => (fill[control.of] = v)} />
{:else if control.kind === "toggle"}
  <Toggle
    label={control.label}
    about={control.about}
    on={fill[control.of] as boolean}
    onchange={(on) => (fill[control.of] = on)}
  />
{:else if control.kind === "curve"}
  <CurveEditor
    label={control.label}
    curve={fill[control.of] as Curve}
    {histogram}
    onchange={(curve) => (fill[control.of] = curve)}
  />
{:else if control.kind === "direction"}
  <Segmented
    label="Direction"
    side="left"
    value={facing}
    onchange={(v) => (fill["direction"] = [...DIRECTIONS[v].to])}
    choices={NAMES.map((key) => ({
      value: key,
      name: DIRECTIONS[key].name,
      about: `Toward ${DIRECTIONS[key].name}`,
    }))}
  />
{:else if control.kind === "border"}
  <Choice
    label="Border of"
    tip="Which border distances are measured from"
    value={(fill["group"] as string | null) ?? ""}
    choices={[
      { value: "", name: "Open edges" },
      ...studio.groups.map((g) => ({ value: g.name, name: g.name })),
    ]}
    onchange={(v) => (fill["group"] = v || null)}
  />
{:else if control.kind === "axis"}
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
{:else if control.kind === "way"}
  <Segmented
    label="Along"
    side="left"
    value={fill["way"] as "x" | "y" | "z" | "u" | "v"}
    onchange={(v) => (fill["way"] = v)}
    choices={(["y", "x", "z", "u", "v"] as const).map((way) => ({
      value: way,
      name: way === "y" ? "Up" : way.toUpperCase(),
      about:
        way === "u" || way === "v" ? `Along ${way.toUpperCase()} of the UVs` : `Along ${way.toUpperCase()}`,
    }))}
  />
{:else if control.kind === "source"}
  <Choice
    label="Channel to mix in"
    tip="From any set of this surface; vertices and maps convert"
    value={source || sources[0]?.value || ""}
    choices={sources}
    onchange={(v) => (source = v)}
  />
{:else if control.kind === "mode"}
  <div class="mt-1 grid grid-cols-4 gap-0.5" role="radiogroup" aria-label="How it is mixed">
    {#each MODES as mode (mode)}
      <button
        type="button"
        role="radio"
        aria-checked={fill["mode"] === mode}
        class="hover:text-ink h-7 rounded-md text-sm capitalize {fill['mode'] === mode
          ? 'bg-strong text-ink'
          : 'text-soft bg-ash'}"
        onclick={() => (fill["mode"] = mode)}>{mode}</button
      >
    {/each}
  </div>
{:else if control.kind === "pattern"}
  <button type="button" class={PLAIN} onclick={() => (fill["seed"] = ((fill["seed"] as number) + 1) % 1000)}
    >Another pattern</button
  >
{:else if control.kind === "swap"}
  <button type="button" class="{PLAIN} mt-1" title="Exchange the two channels" onclick={onswap}
    >Swap the two</button
  >
{:else if control.kind === "note"}
  <p class="text-soft text-xs">{control.text}</p>
{/if}
