/** The picture of an open surface: a viewport for each mesh that it has had, and how far what is shown is drawn. */

import type { Vector3 } from "three";

import { CLOSED } from "../state/eye";
import { PLAIN } from "../state/lighting.svelte";
import { LensProgram, shownByValues } from "../state/lensProgram.svelte";
import { isProgrammed, rangeOf, type Lens } from "../state/lenses";
import { answer, bytes, server } from "../state/server";
import type { Studio } from "../state/studio.svelte";
import type { BlendView } from "../state/types";
import { tell, tellError } from "../state/told";
import { eyeOf } from "./eye";
import { parseGeometry, parseHeights } from "./geometry";
import { FIRST, Orbit } from "./orbit";
import { PointerWays } from "./pointer";
import { Portraits } from "./portraits";
import { inSlots, type View } from "./programs";
import { RingOverlay } from "./ring";
import { Sceneries } from "./sceneries.svelte";
import { fetchAhead } from "./textures";
import { sourcesFor } from "./values";
import { Viewport } from "./viewport";

/** Where it is drawn: the pane that it fills, what it is drawn on, and what the pointer moves over. */
export interface Stage {
  pane: HTMLElement;
  canvas: HTMLCanvasElement;
  overlay: HTMLCanvasElement;
}

export class Picture {
  viewport = $state.raw<Viewport | null>(null);
  /** Meshes for levels, the plan and snapshots; made anew with every viewport. */
  sceneries = $state.raw<Sceneries | null>(null);
  ways = $state.raw<PointerWays | null>(null);
  pickable = $state(false);
  drawn = $state(0);
  settled = $state(false);
  grabbing = $state(false);
  /** Nothing can be drawn here. */
  blind = $state(false);
  /** A terrain is shown with the heights that it has, not a coarse guess at them. */
  sharp = $state(true);
  ring: RingOverlay | null = null;
  readonly programs: LensProgram;
  readonly portraits: Portraits;

  #orbit = new Orbit();
  /** Where the scene that was framed is counted from. */
  #framed: Vector3 | null = null;
  #stage: Stage | null = null;
  /** For weak graphics: the picture's resolution as a share of the screen's. */
  #resolution = Number(localStorage.getItem("ash.resolution")) || 1;
  /** The blend without its layers, which is linked long before the whole. */
  #groundAlone: Promise<BlendView>;

  /** onfirst: called when a first picture is on the screen, or when there will be none. */
  constructor(
    readonly studio: Studio,
    readonly onfirst: () => void,
  ) {
    this.programs = new LensProgram(studio);
    this.portraits = new Portraits(studio, () => this.sceneries);
    const { blend, from } = studio.documents.compiled;
    fetchAhead(inSlots(blend, from, studio.documents.materials)?.materials ?? []);
    const params = { path: { ident: studio.surface.id }, query: { only: "" } };
    this.#groundAlone = answer<BlendView>(server.GET("/api/surfaces/{ident}/blend", { params }));
    this.#groundAlone.catch(() => {});
  }

  get fetching(): number {
    return this.sceneries?.fetching ?? 0;
  }

  /** Draw on a stage, and as large as that, until what is returned is called. */
  hold(stage: Stage): () => void {
    this.#stage = stage;
    this.ring = new RingOverlay(stage.overlay);
    const observer = new ResizeObserver(() => this.#resize());
    observer.observe(stage.pane);
    return () => observer.disconnect();
  }

  #resize(): void {
    const { clientWidth, clientHeight } = this.#stage!.pane;
    this.viewport?.resize(clientWidth, clientHeight);
    this.ring?.resize(clientWidth, clientHeight);
  }

  /** Draw a mesh as soon as it is there, until what is returned is called; the direction looked from stays. */
  show(coming: Promise<ArrayBuffer>): () => void {
    let gone = false;
    let made: Viewport | undefined;
    this.pickable = false;
    void coming
      .then((data) => {
        if (gone || !this.#stage) return;
        try {
          made = this.#build(data, this.#stage);
        } catch (error) {
          if (this.#stage.canvas.getContext("webgl2")) throw error;
          // Values can be looked at and exported all the same.
          this.blind = true;
          this.onfirst();
        }
      })
      .catch(tellError);
    return () => {
      gone = true;
      this.studio.receiveFrames(null);
      this.studio.eye = CLOSED;
      this.ways?.dispose();
      void this.portraits.leave();
      made?.dispose();
      this.viewport = null;
      this.sceneries = null;
      this.ways = null;
    };
  }

  #build(data: ArrayBuffer, { pane, canvas, overlay }: Stage): Viewport {
    const { studio } = this;
    const sets = $state.snapshot(studio.sets) as typeof studio.sets;
    const geometry = parseGeometry(data);
    const own = geometry.geometry.attributes["position"]!.count;
    const counts = [own, ...studio.levels.map((level) => level.vertices)];
    const sources = sourcesFor(sets, (level) => counts[level] ?? 0);
    const made = new Viewport(canvas, geometry, this.#orbit, sets, sources, this.#resolution, () => {
      this.pickable = true;
    });
    this.sceneries = new Sceneries(studio, made);
    this.#sharpen(made);
    made.onDrawn = (done) => {
      if (this.drawn++ === 0) this.onfirst();
      this.settled = done;
      this.ways?.refreshRing();
      studio.turned = this.#orbit.turned;
      if (done) void this.portraits.take(made);
      if (!PLAIN && !studio.preparing.planShown)
        this.sceneries?.close(studio.selection.level).catch(() => {});
    };
    made.onChanged = () => (this.settled = false);
    made.onRefused = () =>
      tell({
        problem: "The graphics card takes no program for this blend; the last one that it took is shown.",
        remedy: "Undo the last change, or switch layers and terms off.",
      });
    made.resize(pane.clientWidth, pane.clientHeight);
    this.ring!.resize(pane.clientWidth, pane.clientHeight);
    if (this.#framed) this.#orbit.recount(this.#framed, made.origin);
    else made.frameAll();
    this.#framed = made.origin;
    const bench = { viewport: made, ring: this.ring!, studio, element: overlay };
    this.ways = new PointerWays(bench, (holding) => (this.grabbing = holding));
    studio.eye = eyeOf(made, studio, pane, () => this.viewOf("mask"));
    void this.#groundAlone.then(
      ({ compiled, document }) => made.showGround(compiled, document, studio.documents.materials),
      () => {},
    );
    this.viewport = made;
    studio.receiveFrames((frame) => {
      this.settled = false;
      made.applyFrame(frame);
    });
    return made;
  }

  /** A terrain's own heights come after its coarse ground. */
  #sharpen(made: Viewport): void {
    const { ground } = made;
    if (!ground) return;
    this.sharp = false;
    void bytes(`/api/surfaces/${this.studio.surface.id}/heights`).then((heights) => {
      if (this.viewport !== made) return;
      ground.load(parseHeights(heights));
      this.sharp = true;
      this.settled = false;
      made.invalidate();
    }, tellError);
  }

  /** What a lens shows, for the viewport. */
  viewOf(lens: Lens): View {
    const { studio } = this;
    return {
      lens: shownByValues(studio, lens) ? "channel" : lens,
      set: studio.selection.setNumber,
      channel: studio.selection.activeChannel,
      range: rangeOf(studio, lens),
      program: isProgrammed(lens) ? this.programs.shown : null,
    };
  }

  /** The whole surface, as it was seen first. */
  frameAll(): void {
    this.viewport?.frameAll(FIRST);
  }
}
