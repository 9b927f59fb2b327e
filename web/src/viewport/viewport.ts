/** The picture: a scene, what of it is shown, and how places on the screen and on the surface meet. */

import { Vector3, WebGLRenderer, type BufferGeometry } from "three";

import type { Frame, HeightsPart } from "../state/frames";
import type { Falling } from "../state/falling";
import type {
  BlendDocument,
  ChannelSetView,
  CompiledBlend,
  Light,
  MaterialView,
  Stand,
} from "../state/types";
import { countedFrom, originOf, type SurfaceGeometry } from "./geometry";
import type { Direction, Orbit } from "./orbit";
import { middleOf, trianglesInside } from "./outline";
import { Neighbours } from "./neighbours";
import { Aside, type Shown } from "./aside";
import { Illumination } from "./light/illumination";
import { Shadows } from "./light/shadows";
import { Linker } from "./linker";
import { Pace, type Easel } from "./pace";
import { Passes, type Aids, type Beside } from "./passes";
import { Picker, type Hit, type Picking } from "./picking";
import { Programs, type BlendInput, type Link, type View } from "./programs";
import { Projection } from "./projection";
import { Highlight, Scenery, type GroupRun } from "./scenery";
import { Screen } from "./screen";
import { TerrainGround } from "./terrain/ground";
import { TerrainPicker } from "./terrain/picker";
import type { SetSource } from "./values";

/** Triangles whose sight is tried at a time. */
const LOOKED_FOR = 500;

export class Viewport {
  picker: Picking;
  /** Called after a picture is on the screen. settled: it is at full resolution and nothing waits. */
  onDrawn: (settled: boolean) => void = () => {};
  /** Called when what the screen shows is not what there is any more, until it is drawn. */
  onChanged: () => void = () => {};
  /** Called when the graphics card takes no program for the blend; the last one stays. */
  onRefused: () => void = () => {};
  /** What the scene is counted from, in metres of the world: float32 is too coarse far out. */
  readonly origin: Vector3;

  /** How places on the screen and in the world meet. */
  readonly projection: Projection;

  /** What a terrain is drawn and met by; null for a mesh. */
  readonly ground: TerrainGround | null;

  /** Pictures that are never on the screen. */
  readonly aside: Aside;

  readonly #renderer: WebGLRenderer;
  readonly #programs: Programs;
  readonly #linker: Linker;
  readonly #passes: Passes;
  readonly #light = new Illumination();
  readonly #shadows: Shadows;
  readonly #pace: Pace;
  /** What stands around the surface. */
  readonly neighbours: Neighbours;
  #scenery: Scenery;
  #highlight: Highlight;
  #view: View = { lens: "blend", set: 0, channel: 0, range: [0.01, 1], program: null };
  #beside: Beside | null = null;
  readonly #screen: Screen;
  #anisotropy = 1;
  #prepared = false;
  /** How often something was changed that is seen. */
  #changes = 0;
  #gone = false;

  constructor(
    canvas: HTMLCanvasElement,
    surface: SurfaceGeometry,
    readonly orbit: Orbit,
    private readonly sets: ChannelSetView[],
    private readonly sources: SetSource[],
    private readonly resolution: number,
    private readonly onPickerReady: () => void,
  ) {
    this.#renderer = new WebGLRenderer({
      canvas,
      alpha: true,
      // Pictures are drawn aside, where edges are smoothed if there is time for it.
      antialias: false,
      depth: false,
      stencil: false,
      powerPreference: "high-performance",
    });
    this.#renderer.autoClear = false;
    // Until its first picture the renderer would clear to opaque black.
    this.#renderer.setClearColor(0x000000, 0);
    this.#renderer.debug.onShaderError = (gl, _program, _vertex, fragment) => {
      console.error("The blend's shader does not compile:", gl.getShaderInfoLog(fragment));
    };
    orbit.onGround = surface.terrain === null;
    this.#screen = new Screen(this.#renderer);
    this.#linker = new Linker(
      this.#renderer,
      this.#screen,
      () => this.orbit.camera,
      () => this.#prepared,
    );
    this.origin = originOf(surface.facts);
    this.projection = new Projection(this.origin, orbit);
    this.ground =
      surface.terrain &&
      new TerrainGround(surface.terrain, surface.geometry.attributes["position"]!.array, this.origin);
    const link: Link = (material, of) => this.#linker.link(material, of);
    this.#programs = new Programs(
      sets,
      this.ground,
      () => this.invalidate(),
      link,
      () => this.onRefused(),
      this.#light,
    );
    this.neighbours = new Neighbours(
      this.origin,
      () => {
        this.orbit.reachTo(this.neighbours.bounds);
        this.#shadows.mark();
        this.invalidate();
      },
      link,
      this.#light,
    );
    this.#shadows = new Shadows(this.#renderer, this.#light);
    this.#pace = new Pace(this.#renderer.getContext() as WebGL2RenderingContext, this.#easel(), (settled) =>
      this.#drawn(settled),
    );
    this.#scenery = new Scenery(surface, this.#sourcesOn(0), this.ground);
    this.#highlight = new Highlight(surface.geometry, this.#programs.tint);
    this.#passes = new Passes(
      this.#renderer,
      this.#programs,
      this.neighbours,
      orbit,
      this.ground,
      this,
      this.#light,
    );
    this.#passes.show(this);
    this.aside = new Aside(
      this.#shown(),
      this.#screen,
      this.#passes,
      this.#programs,
      this.#linker,
      orbit,
      this.projection,
    );
    this.picker = this.#pickerOf(surface.geometry);
  }

  #pickerOf(geometry: BufferGeometry): Picking {
    return this.ground
      ? new TerrainPicker(this.ground, this.onPickerReady)
      : new Picker(geometry, this.onPickerReady);
  }

  /** Sets on a level's vertices, and those over the map; null for the others. */
  #sourcesOn(level: number): (SetSource | null)[] {
    return this.sources.map((source, i) => {
      const sites = this.sets[i]!.sites;
      return sites.kind !== "vertices" || (sites.level ?? 0) === level ? source : null;
    });
  }

  // What to show

  /** A scenery for a level of detail, for a planned mesh or for other values of the same mesh. */
  sceneryFor(surface: SurfaceGeometry, level: number, sources = this.#sourcesOn(level)): Scenery {
    return new Scenery(countedFrom(surface, this.origin), sources, this.ground, level);
  }

  /** Show and paint on another mesh. */
  use(scenery: Scenery): void {
    if (scenery === this.#scenery) return;
    const before = { scenery: this.#scenery, highlight: this.#highlight };
    this.#scenery = scenery;
    this.#highlight.dispose();
    this.#highlight = new Highlight(scenery.geometry, this.#programs.tint);
    this.#passes.show(this, before);
    this.#shadows.mark();
    this.picker.dispose();
    this.picker = this.#pickerOf(scenery.geometry);
    this.picker.prepare();
    this.#programs.fit(this.#sceneries());
    this.invalidate();
  }

  get scenery(): Scenery {
    return this.#scenery;
  }

  get highlight(): Highlight {
    return this.#highlight;
  }

  applyFrame(frame: Frame | HeightsPart): void {
    if ("heights" in frame) this.ground?.apply(frame);
    // What is no weight has nothing here that draws it.
    else if (frame.kind === 0) this.sources[frame.set]?.apply(frame);
    if ("heights" in frame || this.#programs.moves(this.#view)) this.#shadows.mark();
    this.invalidate(true);
  }

  setView(view: View): void {
    this.#view = view;
    this.invalidate();
  }

  setBeside(beside: Beside | null): void {
    this.#beside = beside;
    this.projection.halved = beside?.sideBySide ?? false;
    this.projection.fit();
    if (beside?.scenery) this.#programs.fit(this.#sceneries());
    this.invalidate(true);
  }

  setHidden(groups: GroupRun[], hidden: ReadonlySet<string>): void {
    this.#scenery.show(groups, hidden);
    this.picker.hidden = groups
      .filter((group) => hidden.has(group.name))
      .map((group) => ({ first: group.first, count: group.triangles }));
    this.#shadows.mark();
    this.invalidate();
  }

  /** Tint chosen triangles. */
  choose(triangles: Iterable<number>): void {
    this.#highlight.choose(triangles, this.#scenery.geometry.index!.array);
    this.invalidate(true);
  }

  setBlend(input: BlendInput): void {
    this.#programs.fit(this.#sceneries(), input);
    if (this.#programs.moves(this.#view)) this.#shadows.mark();
    this.invalidate(true);
  }

  /** Show the ground alone until the whole blend is linked. */
  showGround(
    ...[compiled, document, materials]: [CompiledBlend, BlendDocument, MaterialView[]]
  ): Promise<void> {
    return this.#programs.showGround(this.#scenery, compiled, document, materials);
  }

  /** Let what moves go on: seconds since it began. */
  goOn(seconds: number): void {
    this.#programs.time = seconds;
    this.invalidate(true);
  }

  #sceneries(): Scenery[] {
    const other = this.#beside?.scenery;
    return other ? [this.#scenery, other] : [this.#scenery];
  }

  // The view

  resize(width: number, height: number): void {
    this.projection.resize(width, height);
    this.invalidate();
  }

  /** Show what is chosen of the surface from here, or all of it. */
  frameChosen(): void {
    const { index } = this.#highlight.mesh.geometry;
    const places = this.#scenery.geometry.attributes["position"]!.array;
    if (!index?.count) return this.frameAll();
    const chosen = Array.from(index.array, (vertex) => [0, 1, 2].map((k) => places[3 * vertex + k]!)).flat();
    this.orbit.frame(chosen);
    this.invalidate();
  }

  /** Show the whole surface, from where one looks now or from a direction. */
  frameAll(from?: Direction): void {
    if (from) this.orbit.from(from);
    this.orbit.frame(this.#scenery.geometry.attributes["position"]!.array);
    this.invalidate();
  }

  /** Where it is looked at from, in metres of the world. */
  get stand(): Stand {
    const { x, y, z } = this.origin;
    const [a, b, c] = this.orbit.stand.target;
    return { ...this.orbit.stand, target: [a + x, b + y, c + z] };
  }

  /** Look from a place. */
  look({ target: [x, y, z], ...from }: Stand): void {
    this.orbit.stand = { ...from, target: [x - this.origin.x, y - this.origin.y, z - this.origin.z] };
    this.invalidate();
  }

  /** Go near to a neighbour. */
  visit(number: number): void {
    const bounds = this.neighbours.bounds[number];
    if (bounds) this.orbit.visit(bounds);
    this.invalidate();
  }

  /** Draw under a light. falling: what it gives, as far as that is known. */
  setLight(light: Light, falling: Falling | null): void {
    this.#light.set(light, falling);
    this.orbit.opens(light.view);
    this.invalidate(true);
  }

  // Places

  /** Where the key light shines from, of length one. */
  get keyLight(): [number, number, number] {
    return this.#light.direction.toArray();
  }

  hit(x: number, y: number): Hit | null {
    return this.picker.hit(this.projection.toNormalised(x, y), this.orbit.camera);
  }

  /**
   * Triangles turned to the eye whose middle lies inside an outline of pixels.
   * through: those behind others, too; else only those whose middle is seen.
   */
  async inside(outline: { x: number; y: number }[], through: boolean): Promise<number[]> {
    const shape = outline.map((p) => this.projection.toNormalised(p.x, p.y));
    const { geometry } = this.#scenery;
    const camera = this.orbit.camera.clone();
    const found = trianglesInside(geometry, camera, shape, this.picker.hidden);
    if (through) return found;
    const seen: number[] = [];
    for (let begin = 0; begin < found.length; begin += LOOKED_FOR) {
      if (begin) await new Promise((resolve) => setTimeout(resolve, 0));
      const some = found.slice(begin, begin + LOOKED_FOR);
      seen.push(
        ...some.filter((t) => this.picker.hit(middleOf(geometry, t, camera), camera)?.triangle === t),
      );
    }
    return seen;
  }

  /** What helps the eye. */
  aid(aids: Aids): void {
    if (aids.figure !== this.#passes.aids.figure) this.#shadows.mark();
    this.#passes.aids = aids;
    this.invalidate();
  }

  // Rendering

  invalidate(moving = false): void {
    this.#changes++;
    this.onChanged();
    this.#pace.invalidate(moving);
  }

  #shown(): Shown {
    const viewport = this as Viewport;
    return {
      get scenery() {
        return viewport.scenery;
      },
      get view() {
        return viewport.#view;
      },
      get beside() {
        return viewport.#beside;
      },
      get changes() {
        return viewport.#changes;
      },
      get gone() {
        return viewport.#gone;
      },
      refine: () => {
        this.#shadows.sample(false);
        this.#sharpen(Math.min(8, this.#renderer.capabilities.getMaxAnisotropy()));
      },
    };
  }

  #easel(): Easel {
    const scale = () => this.resolution * Math.min(devicePixelRatio, 2);
    const { programs, screen, resolution, viewport } = {
      programs: this.#programs,
      screen: this.#screen,
      resolution: this.resolution,
      viewport: this as Viewport,
    };
    return {
      get program() {
        return programs.nameOf(viewport.scenery, viewport.#view, viewport.#beside?.view ?? null);
      },
      get pixels() {
        return viewport.projection.size.x * viewport.projection.size.y * scale() ** 2;
      },
      mayBeFine: resolution >= 1,
      prepare: (moving) => {
        this.#light.turn(-this.orbit.turned);
        const { own } = this.#passes;
        const whole = own.clone();
        for (const sphere of this.neighbours.bounds) whole.union(sphere);
        return this.#shadows.draw(whole, own, moving, (camera) => this.#passes.cast(camera));
      },
      begin: (share, fine, moving) => {
        this.#shadows.sample(moving);
        screen.resize(this.projection.size.x, this.projection.size.y, scale());
        this.#sharpen(fine ? Math.min(8, this.#renderer.capabilities.getMaxAnisotropy()) : 1);
        return screen.begin(share, fine);
      },
      band: (from, to) => screen.band(from, to, (size) => this.#passes.of(size, this.#view, this.#beside)),
      show: () => screen.show(),
    };
  }

  #sharpen(anisotropy: number): void {
    if (anisotropy === this.#anisotropy) return;
    this.#anisotropy = anisotropy;
    this.#programs.sharpen(anisotropy);
    this.neighbours.sharpen(anisotropy);
  }

  #drawn(settled: boolean): void {
    if (!this.#prepared) {
      // Only now: on few cores it would keep the first picture waiting.
      this.#prepared = true;
      this.picker.prepare();
    }
    this.onDrawn(settled && !this.#programs.waiting && !this.neighbours.waiting);
  }

  dispose(): void {
    this.#gone = true;
    this.#linker.dispose();
    this.#pace.stop();
    this.#screen.dispose();
    this.picker.dispose();
    this.#programs.dispose();
    this.neighbours.dispose();
    for (const source of this.sources) source.dispose();
    this.#highlight.dispose();
    this.#scenery.dispose();
    this.#passes.dispose();
    this.#shadows.dispose();
    this.#light.dispose();
    this.ground?.dispose();
    this.#renderer.dispose();
  }
}
