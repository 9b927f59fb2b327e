<!-- A linear colour, shown and chosen as the screen has it. -->
<script lang="ts">
  import { Color } from "three";

  type Colour = [number, number, number];
  interface Props {
    label: string;
    tip: string;
    value: Colour;
    onchange: (value: Colour) => void;
  }
  const { label, tip, value, onchange }: Props = $props();
  const shown = $derived(`#${new Color(...(value.map((v) => Math.min(1, v)) as Colour)).getHexString()}`);
</script>

<label class="flex items-center gap-2 py-[0.1875rem] text-sm" title={tip}>
  <span class="text-soft min-w-[4.25rem]">{label}</span>
  <input
    type="color"
    class="border-line h-6 w-12 rounded border bg-transparent"
    aria-label={label}
    value={shown}
    oninput={(e) => onchange(new Color(e.currentTarget.value).toArray() as Colour)}
  />
  <span class="num text-soft ml-auto">{value.map((v) => v.toFixed(2)).join(" ")}</span>
</label>
