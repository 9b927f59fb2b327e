<!-- A labelled slider whose number can also be typed. -->
<script lang="ts">
  import { Slider } from "bits-ui";

  import { fitted, lengthUnit, typedQuantity } from "./quantity";
  import Tip from "./Tip.svelte";

  interface Props {
    label: string;
    value: number;
    min: number;
    max: number;
    step?: number;
    /** Even steps of the logarithm: for lengths. */
    logarithmic?: boolean;
    /** How the number is shown, and what it is multiplied by for that. */
    unit?: string;
    shown?: number;
    digits?: number;
    /** A length in metres, shown in the unit that fits it. */
    length?: boolean;
    tip: string;
    key?: string | undefined;
    disabled?: boolean;
    onchange: (value: number) => void;
  }
  const {
    label,
    value,
    min,
    max,
    step = 0.01,
    logarithmic = false,
    unit = "",
    shown = 1,
    digits = 2,
    length = false,
    tip,
    key,
    disabled = false,
    onchange,
  }: Props = $props();

  const STEPS = 400;
  /** Half a thumb at each end, in hundredths of the track. Measured instead, each slider lays the page out anew. */
  const ROOM = 4.5;
  const toTrack = (v: number) =>
    logarithmic ? (STEPS * Math.log(Math.max(v, min) / min)) / Math.log(max / min) : v;
  const fromTrack = (t: number) => (logarithmic ? min * Math.pow(max / min, t / STEPS) : t);
  /** Where the thumb stands: on a step, or the slider would report its own rounding as a change. */
  const snapped = $derived.by(() => {
    const [least, size] = logarithmic ? [0, 1] : [min, step];
    return Math.min(logarithmic ? STEPS : max, least + Math.round((toTrack(value) - least) / size) * size);
  });
  const as = $derived(length ? lengthUnit(value) : { name: unit, shown, digits });
  const told = (v: number, how = as) =>
    `${fitted(v * how.shown, how.digits)}${how.name ? `${how.name === "°" ? "" : " "}${how.name}` : ""}`;
  const text = $derived(told(value));

  /** What was typed and could not be: which limit it met, or that it is no number. */
  let trouble = $state("");
  $effect(() => {
    if (!trouble) return;
    const timer = setTimeout(() => (trouble = ""), 4000);
    return () => clearTimeout(timer);
  });

  function typed(event: Event): void {
    const field = event.currentTarget as HTMLInputElement;
    const number = typedQuantity(field.value, as.shown);
    const kept = Math.min(max, Math.max(min, number));
    if (Number.isNaN(number)) trouble = `Not a number: ${field.value.slice(0, 20)}`;
    else if (kept !== number) {
      const limit = told(kept, length ? lengthUnit(kept) : as);
      trouble = kept > number ? `At least ${limit}` : `At most ${limit}`;
    } else trouble = "";
    if (!Number.isNaN(number)) onchange(kept);
    field.value = text;
  }
</script>

<div
  class="grid grid-cols-[minmax(3.5rem,auto)_minmax(1.75rem,1fr)_auto] items-center gap-x-2 py-[0.1875rem]"
>
  <Tip text={tip} {key} side="right">
    {#snippet children(props)}<span {...props} tabindex="-1" class="text-soft cursor-help text-sm"
        >{label}</span
      >{/snippet}
  </Tip>
  <Slider.Root
    type="single"
    value={snapped}
    min={logarithmic ? 0 : min}
    max={logarithmic ? STEPS : max}
    step={logarithmic ? 1 : step}
    {disabled}
    trackPadding={ROOM}
    onValueChange={(t: number) => {
      if (Math.abs(t - snapped) > 1e-6) onchange(fromTrack(t));
    }}
    class="relative flex h-[1.125rem] w-full touch-none items-center select-none"
  >
    <span class="bg-strong relative h-1 w-full overflow-hidden rounded-full">
      <Slider.Range class="bg-accent absolute h-full" />
    </span>
    <Slider.Thumb
      index={0}
      aria-label={label}
      class="bg-ink block size-3.5 rounded-full shadow data-[disabled]:opacity-40"
    />
  </Slider.Root>
  <input
    class="num text-ink hover:bg-strong focus:bg-strong w-[3.9rem] rounded bg-transparent px-0.5 text-right"
    aria-label="{label}, number"
    inputmode="decimal"
    {disabled}
    value={text}
    onchange={typed}
    onfocus={(e) => e.currentTarget.select()}
    onkeydown={(e) => e.key === "Enter" && e.currentTarget.blur()}
  />
  {#if trouble}<p class="text-warn col-span-3 text-right text-xs" role="status">{trouble}</p>{/if}
</div>
