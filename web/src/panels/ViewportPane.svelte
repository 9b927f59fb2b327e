<!-- The viewport: the picture, the brush ring on it, the pointer's ways, the strip of lenses. -->
<script lang="ts">
  import Lock from "@lucide/svelte/icons/lock";
  import Maximize from "@lucide/svelte/icons/maximize";
  import Pause from "@lucide/svelte/icons/pause";
  import Play from "@lucide/svelte/icons/play";
  import Rotate3d from "@lucide/svelte/icons/rotate-3d";
  import { onMount, untrack } from "svelte";

  import type { Studio } from "../state/studio.svelte";
  import IconButton from "../ui/IconButton.svelte";
  import { follow } from "../viewport/follow.svelte";
  import { Picture } from "../viewport/picture.svelte";
  import CompareBar from "./CompareBar.svelte";
  import LensLabels from "./LensLabels.svelte";
  import LensStrip from "./LensStrip.svelte";
  import LightCard from "./LightCard.svelte";
  import LightDome from "./LightDome.svelte";
  import PictureSheet from "./PictureSheet.svelte";
  import ViewCard from "./ViewCard.svelte";
  import WipeDivider from "./WipeDivider.svelte";

  interface Props {
    studio: Studio;
    /** A first picture is on the screen. */
    onfirst: () => void;
  }
  const { studio, onfirst }: Props = $props();

  let pane = $state<HTMLDivElement>();
  let canvas = $state<HTMLCanvasElement>();
  let overlay = $state<HTMLCanvasElement>();
  const picture = untrack(() => new Picture(studio, onfirst));

  onMount(() => picture.hold({ pane: pane!, canvas: canvas!, overlay: overlay! }));

  const shown = $derived(
    studio.preparing.planShown && studio.selection.lens === "grain" ? "distance" : studio.selection.lens,
  );

  /** Whether anything in the blend goes on by itself. */
  const moves = $derived(
    JSON.stringify(studio.documents.compiled.blend.uniforms).includes('["fact","time"]'),
  );
  follow(
    picture,
    () => shown,
    () => moves,
  );
</script>

<svelte:window
  onkeydown={(e) => picture.ways?.keyDown(e)}
  onkeyup={(e) => picture.ways?.keyUp(e)}
  onblur={() => picture.ways?.release()}
/>

<div
  bind:this={pane}
  class="viewport absolute inset-0 overflow-hidden"
  data-testid="viewport"
  data-drawn={picture.drawn}
  data-settled={picture.settled &&
    picture.viewport !== null &&
    picture.pickable &&
    picture.sharp &&
    picture.fetching === 0 &&
    !picture.sceneries?.closing &&
    studio.lighting.settled &&
    !picture.programs.loading &&
    studio.live.connection === "ready"}
>
  <canvas bind:this={canvas} class="absolute inset-0 size-full" data-testid="picture"></canvas>
  <canvas
    bind:this={overlay}
    class="absolute inset-0 size-full touch-none {picture.grabbing ? 'cursor-grabbing' : 'cursor-crosshair'}"
    aria-label="The surface: paint on it with the pointer"
    data-testid="surface"
  ></canvas>

  <PictureSheet {studio} {shown} program={picture.programs.shown} />
  <LensLabels {studio} {shown} program={picture.programs.shown} />

  <div class="absolute top-3 right-3 flex flex-col items-end gap-1">
    <LightDome {studio} />
    <LightCard {studio} />
  </div>

  {#if studio.selection.compare}
    {@const at = studio.selection.compare.sideBySide ? 0.5 : studio.selection.compare.at}
    <div class="pointer-events-none absolute inset-y-0 w-px bg-white/70" style:left="{at * 100}%"></div>
    {#if !studio.selection.compare.sideBySide}
      <WipeDivider
        {at}
        onmove={(to) =>
          studio.selection.compare && (studio.selection.compare = { ...studio.selection.compare, at: to })}
      />
    {/if}
  {/if}

  {#if picture.blind}
    <div class="absolute inset-0 grid place-items-center p-6" role="alert">
      <div class="bg-ash/85 max-w-96 rounded-md px-4 py-3 text-center">
        <p class="font-semibold">This browser draws nothing here: it gives no WebGL 2.</p>
        <p class="text-soft mt-1">
          Switch graphics acceleration on in its settings and load the page again, or use another browser.
        </p>
      </div>
    </div>
  {:else if !picture.viewport || !picture.pickable || picture.fetching}
    <p class="bg-ash/85 absolute top-3 right-20 rounded-md px-2.5 py-1 text-sm">
      {picture.viewport && !picture.fetching ? "Preparing the brush …" : "Loading the surface …"}
    </p>
  {/if}

  <div
    class="pointer-events-none absolute inset-x-1 bottom-3 flex flex-wrap items-center justify-center gap-2"
  >
    <div class="pointer-events-auto shadow-lg">
      <LensStrip {studio} />
    </div>
    <div class="bg-ash pointer-events-auto flex rounded-lg shadow-lg">
      <CompareBar {studio} />
      {#if moves}
        <IconButton
          label={studio.selection.moving ? "Hold what moves" : "Let it move"}
          side="top"
          pressed={studio.selection.moving}
          onclick={() => (studio.selection.moving = !studio.selection.moving)}
        >
          {#if studio.selection.moving}<Pause size={16} />{:else}<Play size={16} />{/if}
        </IconButton>
      {/if}
      <ViewCard {studio} />
      <IconButton label="The first view" key="Home" side="top" onclick={() => picture.frameAll()}>
        <Maximize size={16} />
      </IconButton>
      <IconButton
        label={studio.selection.besideTurns
          ? "A drag beside the surface turns the view"
          : "A drag beside the surface does nothing"}
        side="top"
        pressed={studio.selection.besideTurns}
        onclick={() => studio.selection.setBesideTurns(!studio.selection.besideTurns)}
      >
        {#if studio.selection.besideTurns}<Rotate3d size={16} />{:else}<Lock size={16} />{/if}
      </IconButton>
    </div>
  </div>
</div>

<style>
  .viewport {
    background: linear-gradient(var(--viewport-high), var(--viewport-low));
  }
</style>
