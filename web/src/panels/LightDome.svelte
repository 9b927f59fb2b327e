<!-- The key light on a small dome, seen from above: the middle is the zenith, the rim the horizon. What is up points away. -->
<script lang="ts">
  import type { Studio } from "../state/studio.svelte";

  const { studio }: { studio: Studio } = $props();

  const light = $derived(studio.lighting.light);
  let dome = $state<SVGSVGElement>();

  const R = 20;
  /** A light that goes with the view stands where it stands on the card; else the card turns. */
  const turned = $derived(light?.follows ? 0 : studio.turned);
  const out = $derived(light ? R * (1 - Math.max(light.tilt, 0) / 90) : 0);
  const below = $derived(light ? light.tilt < 0 : false);

  function take(event: PointerEvent): void {
    const { left, top, width, height } = dome!.getBoundingClientRect();
    const scale = 52 / width;
    const x = (event.clientX - left - width / 2) * scale;
    const y = (event.clientY - top - height / 2) * scale;
    const far = Math.hypot(x, y) / R;
    // Beyond the rim it sinks below the horizon.
    studio.lighting.turn(
      (Math.atan2(x, -y) * 180) / Math.PI - turned,
      far <= 1 ? 90 * (1 - far) : -30 * (far - 1),
    );
  }

  function key(event: KeyboardEvent): void {
    if (!light) return;
    const by: Record<string, [number, number]> = {
      ArrowLeft: [-5, 0],
      ArrowRight: [5, 0],
      ArrowUp: [0, 2],
      ArrowDown: [0, -2],
    };
    const step = by[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    studio.lighting.turn(light.azimuth + step[0], light.tilt + step[1]);
  }
</script>

{#if light}
  <svg
    bind:this={dome}
    viewBox="-26 -26 52 52"
    class="bg-ash/85 size-13 shrink-0 cursor-pointer touch-none rounded-full select-none"
    role="slider"
    tabindex="0"
    aria-label="Key light"
    aria-valuemin={-12}
    aria-valuemax={90}
    aria-valuenow={Math.round(light.tilt)}
    aria-valuetext="From {Math.round(light.azimuth)}°, {Math.round(light.tilt)}° up"
    data-testid="dome"
    onpointerdown={(event) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      take(event);
    }}
    onpointermove={(event) => event.buttons && take(event)}
    onkeydown={key}
  >
    <title
      >Drag the key light: the middle is straight above, the rim the horizon (K+drag over the picture)</title
    >
    <circle r={R} class="stroke-soft/60 fill-none" />
    <circle r={R / 2} class="stroke-line fill-none" stroke-dasharray="2 2" />
    <g transform="rotate({turned})">
      <path d="M-2.5 -{R + 1} L2.5 -{R + 1} L0 -{R + 5} Z" class="fill-soft" />
      <g transform="rotate({light.azimuth})">
        <line y1={-out} y2="0" class="stroke-accent/60" />
        <circle
          cy={-out}
          r="4.5"
          class={below ? "stroke-accent fill-none" : "fill-accent stroke-ash"}
          stroke-width="1.5"
        />
      </g>
    </g>
  </svg>
{/if}
