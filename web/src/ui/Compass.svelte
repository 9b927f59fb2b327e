<!-- A bearing as a small compass that turns with the view: what points up on it points away from who looks. -->
<script lang="ts">
  interface Props {
    /** Degrees clockwise from north. */
    bearing: number;
    /** Degrees that the card is turned by. */
    turned: number;
    onchange: (bearing: number) => void;
  }
  const { bearing, turned, onchange }: Props = $props();

  const WINDS = ["N", "E", "S", "W"];
  let dial = $state<SVGSVGElement>();

  function take(event: PointerEvent): void {
    const { left, top, width, height } = dial!.getBoundingClientRect();
    const x = event.clientX - left - width / 2;
    const y = event.clientY - top - height / 2;
    const up = (Math.atan2(x, -y) * 180) / Math.PI;
    onchange(Math.round((((up - turned) % 360) + 360) % 360));
  }
</script>

<!-- The slider beside it is the way by keyboard. -->
<svg
  bind:this={dial}
  viewBox="-24 -24 48 48"
  class="text-soft size-12 shrink-0 cursor-pointer touch-none select-none"
  aria-hidden="true"
  data-compass={bearing}
  onpointerdown={(event) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    take(event);
  }}
  onpointermove={(event) => event.buttons && take(event)}
>
  <circle r="15" class="stroke-line fill-none" />
  <g transform="rotate({turned})">
    {#each WINDS as wind, i (wind)}
      <g transform="rotate({i * 90})">
        <line y1="-15" y2="-12.5" class="stroke-current" />
        <text
          y="-20"
          transform="rotate({-turned - i * 90} 0 -20)"
          dominant-baseline="central"
          text-anchor="middle"
          class="fill-current text-[7.5px] {wind === 'N' ? 'font-semibold' : ''}">{wind}</text
        >
      </g>
    {/each}
    <g transform="rotate({bearing})" class="stroke-accent fill-accent">
      <line y1="-13" y2="0" stroke-width="1.5" />
      <path d="M-3 -4 L3 -4 L0 2 Z" stroke="none" />
    </g>
  </g>
</svg>
