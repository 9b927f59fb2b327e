<!-- The viewport: the picture, the brush ring on it, the pointer's ways, the strip of lenses. -->
<script lang="ts">
  import Lock from "@lucide/svelte/icons/lock";
  import Maximize from "@lucide/svelte/icons/maximize";
  import Rotate3d from "@lucide/svelte/icons/rotate-3d";
  import { onMount, untrack } from "svelte";
  import type { Vector3 } from "three";

  import Pause from "@lucide/svelte/icons/pause";
  import Play from "@lucide/svelte/icons/play";
  import { CLOSED } from "../state/eye";
  import { LensProgram, shownByValues } from "../state/lensProgram.svelte";
  import { isProgrammed, rangeOf, type Lens } from "../state/lenses";
  import { answer, bytes, server } from "../state/server";
  import type { Studio } from "../state/studio.svelte";
  import type { BlendView } from "../state/types";
  import { tell, tellError } from "../state/told";
  import IconButton from "../ui/IconButton.svelte";
  import { parseGeometry, parseHeights } from "../viewport/geometry";
  import { FIRST, Orbit } from "../viewport/orbit";
  import { PointerWays } from "../viewport/pointer";
  import { eyeOf } from "../viewport/eye";
  import { inSlots, type View } from "../viewport/programs";
  import { Portraits } from "../viewport/portraits";
  import { RingOverlay } from "../viewport/ring";
  import { Sceneries } from "../viewport/sceneries.svelte";
  import { fetchAhead } from "../viewport/textures";
  import { sourcesFor } from "../viewport/values";
  import { Viewport } from "../viewport/viewport";
  import CompareBar from "./CompareBar.svelte";
  import LensLabels from "./LensLabels.svelte";
  import LensStrip from "./LensStrip.svelte";
  import WipeDivider from "./WipeDivider.svelte";

  interface Props {
    studio: Studio;
    /** A first picture is on the screen. */
    onfirst: () => void;
  }
  const { studio, onfirst }: Props = $props();

  /** For weak graphics: the picture's resolution as a share of the screen's. */
  const resolution = Number(localStorage.getItem("ash.resolution")) || 1;
  const orbit = new Orbit();
  /** Where the scene that was framed is counted from. */
  let framed: Vector3 | null = null;

  let pane = $state<HTMLDivElement>();
  let canvas = $state<HTMLCanvasElement>();
  let overlay = $state<HTMLCanvasElement>();
  let viewport = $state.raw<Viewport | null>(null);
  const programs = new LensProgram(untrack(() => studio));
  const portraits = new Portraits(
    untrack(() => studio),
    () => sceneries,
  );
  let ring: RingOverlay | null = null;
  let ways = $state.raw<PointerWays | null>(null);
  let pickable = $state(false);
  let drawn = $state(0);
  let settled = $state(false);
  let grabbing = $state(false);
  /** Nothing can be drawn here. */
  let blind = $state(false);
  /** A terrain is shown with the heights that it has, not a coarse guess at them. */
  let sharp = $state(true);
  /** Meshes for levels, the plan and snapshots; made anew with every viewport. */
  let sceneries = $state.raw<Sceneries | null>(null);
  const fetching = $derived(sceneries?.fetching ?? 0);

  const { blend, from } = untrack(() => studio.documents.compiled);
  const ahead = inSlots(
    blend,
    from,
    untrack(() => studio.documents.materials),
  );
  fetchAhead(ahead?.materials ?? []);
  /** The blend without its layers, which is linked long before the whole. */
  const groundAlone = answer<BlendView>(
    server.GET("/api/surfaces/{ident}/blend", {
      params: { path: { ident: untrack(() => studio.surface.id) }, query: { only: "" } },
    }),
  );
  groundAlone.catch(() => {});

  onMount(() => {
    ring = new RingOverlay(overlay!);
    const observer = new ResizeObserver(resize);
    observer.observe(pane!);
    return () => observer.disconnect();
  });

  function resize(): void {
    const { clientWidth, clientHeight } = pane!;
    viewport?.resize(clientWidth, clientHeight);
    ring?.resize(clientWidth, clientHeight);
  }

  // A viewport for each mesh the surface has had; the direction looked from stays.
  $effect(() => {
    const coming = studio.geometry;
    let gone = false;
    let made: Viewport | undefined;
    pickable = false;
    void coming
      .then((data) => {
        if (gone || !canvas || !overlay) return;
        try {
          made = untrack(() => build(data));
        } catch (error) {
          if (canvas.getContext("webgl2")) throw error;
          // Values can be looked at and exported all the same.
          blind = true;
          onfirst();
        }
      })
      .catch(tellError);
    return () => {
      gone = true;
      studio.receiveFrames(null);
      studio.eye = CLOSED;
      ways?.dispose();
      void portraits.leave();
      made?.dispose();
      viewport = null;
      sceneries = null;
      ways = null;
    };
  });

  function build(data: ArrayBuffer): Viewport {
    const sets = $state.snapshot(studio.sets) as typeof studio.sets;
    const geometry = parseGeometry(data);
    const own = geometry.geometry.attributes["position"]!.count;
    const counts = [own, ...studio.levels.map((level) => level.vertices)];
    const sources = sourcesFor(sets, (level) => counts[level] ?? 0);
    const made = new Viewport(canvas!, geometry, orbit, sets, sources, resolution, () => (pickable = true));
    sceneries = new Sceneries(studio, made);
    const { ground } = made;
    if (ground) {
      sharp = false;
      void bytes(`/api/surfaces/${studio.surface.id}/heights`).then((heights) => {
        if (viewport !== made) return;
        ground.load(parseHeights(heights));
        sharp = true;
        settled = false;
        made.invalidate();
      }, tellError);
    }
    made.onDrawn = (done) => {
      if (drawn++ === 0) onfirst();
      settled = done;
      ways?.refreshRing();
      studio.turned = orbit.turned;
      if (done) void portraits.take(made);
    };
    made.onChanged = () => (settled = false);
    made.onRefused = () =>
      tell({
        problem: "The graphics card takes no program for this blend; the last one that it took is shown.",
        remedy: "Undo the last change, or switch layers and terms off.",
      });
    made.resize(pane!.clientWidth, pane!.clientHeight);
    ring!.resize(pane!.clientWidth, pane!.clientHeight);
    if (framed) orbit.recount(framed, made.origin);
    else made.frameAll();
    framed = made.origin;
    const bench = { viewport: made, ring: ring!, studio, element: overlay! };
    ways = new PointerWays(bench, (holding) => (grabbing = holding));
    studio.eye = eyeOf(made, studio, pane!, () => viewOf("mask"));
    void groundAlone.then(
      ({ compiled, document }) => made.showGround(compiled, document, studio.documents.materials),
      () => {},
    );
    viewport = made;
    studio.receiveFrames((frame) => {
      settled = false;
      made.applyFrame(frame);
    });
    return made;
  }

  // The mesh that is shown and painted: a level, or a plan to be looked at.
  $effect(() => {
    const [target, meshes] = [viewport, sceneries];
    const plan = studio.preparing.planShown ? studio.preparing.job?.id : undefined;
    const { level } = studio;
    if (!target || !meshes) return;
    settled = false;
    pickable = false;
    void (plan ? meshes.ofPlan(plan) : meshes.ofLevel(level)).then((found) => {
      if (viewport !== target) return;
      const same = target.scenery === found;
      target.use(found);
      if (same) pickable = target.picker.ready;
      target.invalidate();
    }, tellError);
  });

  $effect(() => {
    if (!viewport) return;
    settled = false;
    viewport.setBlend({
      compiled: studio.alone ?? studio.documents.compiled,
      document: studio.documents.blend,
      materials: studio.documents.materials,
    });
  });

  $effect(() => {
    const [target, meshes] = [viewport, sceneries];
    const beside = studio.compare?.kind === "lens" ? studio.compare.lens : null;
    const { level } = studio;
    if (!target || !meshes || studio.preparing.planShown) return;
    if (studio.lens !== "grain" && beside !== "grain") return;
    void meshes.withGrain(level).catch(tellError);
  });

  const viewOf = (lens: Lens): View => ({
    lens: shownByValues(studio, lens) ? "channel" : lens,
    set: studio.setNumber,
    channel: studio.activeChannel,
    range: rangeOf(studio, lens),
    program: isProgrammed(lens) ? programs.shown : null,
  });

  const shown = $derived(studio.preparing.planShown && studio.lens === "grain" ? "distance" : studio.lens);

  $effect(() => programs.follow(shown));

  $effect(() => {
    const view = viewOf(shown);
    settled = false;
    viewport?.setView(view);
  });

  $effect(() => {
    const [target, meshes] = [viewport, sceneries];
    const compare = studio.compare;
    if (!target || !meshes) return;
    settled = false;
    if (ring) ring.share = compare?.sideBySide ? 0.5 : 1;
    if (!compare) {
      target.setBeside(null);
      return;
    }
    const view = viewOf(compare.kind === "lens" ? compare.lens : studio.lens);
    const { sideBySide, at } = compare;
    const coming =
      compare.kind === "level"
        ? meshes.ofLevel(compare.level)
        : compare.kind === "snapshot" && compare.snapshot
          ? meshes.ofSnapshot(compare.snapshot.id)
          : Promise.resolve(null);
    if (compare.kind === "level") view.set = studio.numberOn(compare.level);
    void coming.then((found) => {
      if (viewport === target && studio.compare === compare) {
        target.setBeside({ view, scenery: found, sideBySide, at });
        if (found && view.lens === "grain" && compare.kind === "level") {
          void meshes.withGrain(compare.level).catch(tellError);
        }
      }
    }, tellError);
  });

  $effect(() => {
    const { neighbours, places } = studio.around;
    if (!viewport || neighbours.length !== places.length) return;
    void viewport.neighbours.show(neighbours, places, studio.documents.materials).catch(tellError);
  });

  // What stands on the ground goes with it.
  $effect(() => {
    if (studio.steps && untrack(() => studio.around.neighbours.length)) void studio.around.load();
  });

  $effect(() => {
    const groups = studio.level === 0 && !studio.preparing.planShown ? studio.groups : [];
    viewport?.setHidden(groups, studio.hidden);
  });

  // Steps without a picture are drawn when the list is looked at and nothing goes on.
  $effect(() => {
    if (studio.side === "history" && settled && viewport) void portraits.take(viewport);
  });

  $effect(() => {
    viewport?.choose(studio.tinted);
  });

  /** Whether anything in the blend goes on by itself. */
  const moves = $derived(
    JSON.stringify(studio.documents.compiled.blend.uniforms).includes('["fact","time"]'),
  );
  let since = 0;
  $effect(() => {
    const target = viewport;
    if (!target || !studio.moving || !moves) return;
    let last = performance.now();
    const timer = setInterval(() => {
      const now = performance.now();
      since += (now - last) / 1000;
      last = now;
      target.goOn(since);
    }, 40);
    return () => clearInterval(timer);
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
  data-settled={settled &&
    viewport !== null &&
    pickable &&
    sharp &&
    fetching === 0 &&
    !programs.loading &&
    studio.live.connection === "ready"}
>
  <canvas bind:this={canvas} class="absolute inset-0 size-full" data-testid="picture"></canvas>
  <canvas
    bind:this={overlay}
    class="absolute inset-0 size-full touch-none {grabbing ? 'cursor-grabbing' : 'cursor-crosshair'}"
    aria-label="The surface: paint on it with the pointer"
    data-testid="surface"
  ></canvas>

  <LensLabels {studio} {shown} program={programs.shown} />

  {#if studio.compare}
    {@const at = studio.compare.sideBySide ? 0.5 : studio.compare.at}
    <div class="pointer-events-none absolute inset-y-0 w-px bg-white/70" style:left="{at * 100}%"></div>
    {#if !studio.compare.sideBySide}
      <WipeDivider {at} onmove={(to) => studio.compare && (studio.compare = { ...studio.compare, at: to })} />
    {/if}
  {/if}

  {#if blind}
    <div class="absolute inset-0 grid place-items-center p-6" role="alert">
      <div class="bg-ash/85 max-w-96 rounded-md px-4 py-3 text-center">
        <p class="font-semibold">This browser draws nothing here: it gives no WebGL 2.</p>
        <p class="text-soft mt-1">
          Switch graphics acceleration on in its settings and load the page again, or use another browser.
        </p>
      </div>
    </div>
  {:else if !viewport || !pickable || fetching}
    <p class="bg-ash/85 absolute top-3 right-3 rounded-md px-2.5 py-1 text-sm">
      {viewport && !fetching ? "Preparing the brush …" : "Loading the surface …"}
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
          label={studio.moving ? "Hold what moves" : "Let it move"}
          side="top"
          pressed={studio.moving}
          onclick={() => (studio.moving = !studio.moving)}
        >
          {#if studio.moving}<Pause size={16} />{:else}<Play size={16} />{/if}
        </IconButton>
      {/if}
      <IconButton label="The first view" key="Home" side="top" onclick={() => viewport?.frameAll(FIRST)}>
        <Maximize size={16} />
      </IconButton>
      <IconButton
        label={studio.besideTurns
          ? "A drag beside the surface turns the view"
          : "A drag beside the surface does nothing"}
        side="top"
        pressed={studio.besideTurns}
        onclick={() => studio.setBesideTurns(!studio.besideTurns)}
      >
        {#if studio.besideTurns}<Rotate3d size={16} />{:else}<Lock size={16} />{/if}
      </IconButton>
    </div>
  </div>
</div>

<style>
  .viewport {
    background: linear-gradient(var(--viewport-high), var(--viewport-low));
  }
</style>
