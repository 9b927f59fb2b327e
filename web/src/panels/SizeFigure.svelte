<!-- How large a surface is: its outline from the front beside a person of 1.8 m. -->
<script lang="ts">
  import { shownLength } from "../ui/quantity";

  /** Metres: across, up, deep. */
  const { size }: { size: [number, number, number] } = $props();

  const PERSON = 1.8;
  const WIDTH = 300;
  const HEIGHT = 130;
  const [across, up] = $derived(size);
  const scale = $derived(
    Math.min((HEIGHT - 8) / Math.max(up, PERSON), (WIDTH - 20) / (across + PERSON * 0.9)),
  );
  const person = $derived(PERSON * scale);
  const ground = HEIGHT - 3;
  const left = $derived((WIDTH - (across + PERSON * 0.9) * scale) / 2);
  const x = $derived(left + across * scale + person * 0.65);
</script>

<svg
  viewBox="0 0 {WIDTH} {HEIGHT}"
  class="bg-ash w-full rounded-md"
  role="img"
  aria-label="{shownLength(up)} high and {shownLength(across)} wide, beside a person of 1.8 m"
>
  <line x1="0" y1={ground} x2={WIDTH} y2={ground} class="stroke-line" stroke-width="1.5" />
  <rect
    x={left}
    y={ground - Math.max(1, up * scale)}
    width={Math.max(1, across * scale)}
    height={Math.max(1, up * scale)}
    class="fill-accent/25 stroke-accent"
    stroke-width="1.5"
  />
  {#if person >= 3}
    <g class="fill-soft">
      <circle cx={x} cy={ground - person * 0.92} r={person * 0.075} />
      <path
        d="M {x - person * 0.12} {ground - person * 0.8} q {person * 0.12} {-person * 0.06} {person *
          0.24} 0 l {-person * 0.03} {person * 0.36} l {-person * 0.02} {person * 0.44} h {-person *
          0.05} l {-person * 0.02} {-person * 0.4} l {-person * 0.02} {person * 0.4} h {-person *
          0.05} l {-person * 0.02} {-person * 0.44} z"
      />
    </g>
  {:else}
    <text x={WIDTH - 8} y="16" text-anchor="end" class="fill-soft text-xs"
      >a person would be a speck here</text
    >
  {/if}
</svg>
