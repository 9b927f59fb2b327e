<!-- The viewport: the picture, the brush ring on it, the pointer's ways, the strip of lenses. -->
<script lang="ts">
  import Maximize from "@lucide/svelte/icons/maximize";
  import { onMount, untrack } from "svelte";

  import { LENSES, type Studio } from "../state/studio.svelte";
  import { tellError } from "../state/told";
  import { LETTERS } from "../state/types";
  import IconButton from "../ui/IconButton.svelte";
  import Segmented from "../ui/Segmented.svelte";
  import { parseGeometry } from "../viewport/geometry";
  import { PointerWays } from "../viewport/pointer";
  import { RingOverlay } from "../viewport/ring";
  import { CIVIDIS_CSS } from "../viewport/shading";
  import { fetchAhead } from "../viewport/textures";
  import { materialsInSlots, Viewport } from "../viewport/viewport";

  const { studio }: { studio: Studio } = $props();

  /** For weak graphics: the picture's resolution as a share of the screen's. */
  const resolution = Number(localStorage.getItem("ash.resolution")) || 1;

  let pane = $state<HTMLDivElement>();
  let canvas = $state<HTMLCanvasElement>();
  let overlay = $state<HTMLCanvasElement>();
  let viewport = $state.raw<Viewport | null>(null);
  let ways = $state.raw<PointerWays | null>(null);
  let pickable = $state(false);
  let drawn = $state(0);
  let settled = $state(false);
  let grabbing = $state(false);

  onMount(() => {
    let gone = false;
    const { blend, from } = studio.compiled;
    fetchAhead(materialsInSlots(blend.slots, from, studio.materials) ?? []);
    let observer: ResizeObserver | undefined;
    void studio.geometry.then((data) => {
      if (gone) return;
      const made = new Viewport(canvas!, parseGeometry(data), studio.sets.length, resolution, () => {
        pickable = true;
      });
      made.onDrawn = (done) => {
        drawn++;
        settled = done;
        ways?.refreshRing();
      };
      const ring = new RingOverlay(overlay!);
      observer = new ResizeObserver(() => {
        const { clientWidth, clientHeight } = pane!;
        made.resize(clientWidth, clientHeight);
        ring.resize(clientWidth, clientHeight);
      });
      made.resize(pane!.clientWidth, pane!.clientHeight);
      made.frameAll();
      observer.observe(pane!);
      ways = new PointerWays(overlay!, made, ring, studio, (holding) => (grabbing = holding));
      viewport = made;
      studio.receiveFrames((frame) => {
        settled = false;
        made.applyFrame(frame);
      });
    }, tellError);
    return () => {
      gone = true;
      observer?.disconnect();
      ways?.dispose();
      viewport?.dispose();
    };
  });

  $effect(() => {
    if (!viewport) return;
    const input = {
      compiled: studio.compiled,
      document: studio.document,
      sets: untrack(() => studio.sets),
      materials: studio.materials,
    };
    settled = false;
    viewport.setBlend(input);
  });

  $effect(() => {
    const { lens, activeSet, activeChannel } = studio;
    settled = false;
    viewport?.setLens(lens, activeSet, activeChannel);
  });

  const label = $derived.by(() => {
    if (studio.lens === "blend") return "Blend";
    if (studio.lens === "set") return `Set · ${studio.set.document.name}`;
    return `Channel ${LETTERS[studio.activeChannel]} · ${studio.channel.name}`;
  });
</script>

<svelte:window
  onkeydown={(e) => ways?.keyDown(e)}
  onkeyup={(e) => ways?.keyUp(e)}
  onblur={() => ways?.release()}
/>

<div
  bind:this={pane}
  class="viewport absolute inset-0 overflow-hidden"
  data-testid="viewport"
  data-drawn={drawn}
  data-settled={settled && viewport !== null && pickable && studio.live.connection === "ready"}
>
  <canvas bind:this={canvas} class="absolute inset-0 size-full" data-testid="picture"></canvas>
  <canvas
    bind:this={overlay}
    class="absolute inset-0 size-full touch-none {grabbing ? 'cursor-grabbing' : 'cursor-crosshair'}"
    aria-label="The surface: paint on it with the pointer"
    data-testid="surface"
  ></canvas>

  <div class="pointer-events-none absolute top-3 left-3 flex items-center gap-2">
    <span class="bg-ash/85 rounded-md px-2.5 py-1 text-sm">{label}</span>
    {#if studio.lens === "channel"}
      <span class="bg-ash/85 num flex items-center gap-2 rounded-md px-2.5 py-1.5">
        0 <span class="h-2 w-28 rounded-sm" style:background-image={CIVIDIS_CSS}></span> 1
      </span>
    {/if}
  </div>

  {#if !viewport || !pickable}
    <p class="bg-ash/85 absolute top-3 right-3 rounded-md px-2.5 py-1 text-sm">
      {viewport ? "Preparing the brush …" : "Loading the surface …"}
    </p>
  {/if}

  <div class="absolute inset-x-0 bottom-3 flex items-center justify-center gap-2">
    <div class="shadow-lg">
      <Segmented
        label="Lens"
        side="top"
        value={studio.lens}
        onchange={(v) => (studio.lens = v)}
        choices={LENSES}
      />
    </div>
    <div class="bg-ash rounded-lg shadow-lg">
      <IconButton label="Show the whole surface" key="Home" side="top" onclick={() => viewport?.frameAll()}>
        <Maximize size={16} />
      </IconButton>
    </div>
  </div>
</div>

<style>
  .viewport {
    background: linear-gradient(var(--viewport-high), var(--viewport-low));
  }
</style>
