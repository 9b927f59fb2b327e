<!-- What the colours of a value lens stand for. -->
<script lang="ts">
  import { shownLength } from "../ui/quantity";
  import { CIVIDIS_CSS } from "../viewport/shading";

  interface Props {
    kind: "channel" | "grain" | "distance" | "program";
    /** What the dark and the light end stand for: metres of a length, or in the unit. */
    range: [number, number];
    unit?: string;
    /** Width of bands; 0 for none. */
    band?: number;
  }
  const { kind, range, unit = "", band = 0 }: Props = $props();
  const plain = (value: number) =>
    `${Number(value.toPrecision(4))}${unit === "°" ? "°" : unit && ` ${unit}`}`;

  const middle = $derived(Math.sqrt(range[0] * range[1]));
</script>

<span class="bg-ash/85 num flex items-center gap-2 rounded-md px-2.5 py-1.5 whitespace-nowrap" role="note">
  {#if kind === "channel"}
    0 <span class="h-2 w-28 rounded-sm" style:background-image={CIVIDIS_CSS}></span> 1
  {:else if kind === "program"}
    {plain(range[0])}
    <span class="h-2 w-28 rounded-sm" style:background-image={CIVIDIS_CSS}></span>
    {plain(range[1])}
    {#if band}<span class="text-soft">a band is {unit === "m" ? shownLength(band) : plain(band)}</span>{/if}
  {:else}
    {shownLength(range[0])}
    <span class="relative h-2 w-28 rounded-sm" style:background-image={CIVIDIS_CSS}>
      <span class="absolute -top-0.5 left-1/2 h-3 w-px bg-white"></span>
    </span>
    {shownLength(range[1])}
    <span class="text-soft">middle {shownLength(middle)}</span>
  {/if}
</span>
