/** The picture: a scene, what of it is shown, and how places on the screen and on the surface meet. */

import {
  Mesh as ThreeMesh,
  Scene,
  Vector2,
  Vector3,
  WebGLRenderer,
  type BufferGeometry,
  type Mesh,
  type RawShaderMaterial,
} from "three";

import type { Frame, HeightsPart } from "../state/frames";
import type { BlendDocument, ChannelSetView, CompiledBlend, MaterialView } from "../state/types";
import { countedFrom, originOf, type SurfaceGeometry } from "./geometry";
import type { Direction, Orbit } from "./orbit";
import { middleOf, trianglesInside } from "./outline";
import { Neighbours } from "./neighbours";
import { Pace, type Easel } from "./pace";
import { Picker, type Hit, type Picking } from "./picking";
import { Programs, type BlendInput, type View } from "./programs";
import { Highlight, Scenery, type GroupRun } from "./scenery";
import { Screen, type Part, type Pass } from "./screen";
import { TerrainGround } from "./terrain/ground";
import { TerrainPicker } from "./terrain/picker";
import type { SetSource } from "./values";

/** The second picture: to the right of the divider, or beside the first. at: 0..1 across. */
export interface Beside {
  view: View;
  scenery: Scenery | null;
  sideBySide: boolean;
  at: number;
}

/** Triangles whose sight is tried at a time. */
const LOOKED_FOR = 500;
/** Small pictures are drawn in so many bands, so that they hold up nobody. */
const SMALL_BANDS = 6;

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

  /** What a terrain is drawn and met by; null for a mesh. */
  readonly ground: TerrainGround | null;

  readonly #renderer: WebGLRenderer;
  readonly #scene = new Scene();
  readonly #programs: Programs;
  readonly #pace: Pace;
  /** What stands around the surface. */
  readonly neighbours: Neighbours;
  #scenery: Scenery;
  #highlight: Highlight;
  #view: View = { lens: "blend", set: 0, channel: 0, range: [0.01, 1], program: null };
  #beside: Beside | null = null;
  #size = new Vector2(1, 1);
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
    this.#screen = new Screen(this.#renderer);
    this.origin = originOf(surface.facts);
    this.ground =
      surface.terrain &&
      new TerrainGround(surface.terrain, surface.geometry.attributes["position"]!.array, this.origin);
    this.#programs = new Programs(
      sets,
      this.ground,
      () => this.invalidate(),
      (material, of) => this.#link(material, of),
      () => this.onRefused(),
    );
    this.neighbours = new Neighbours(
      this.origin,
      () => {
        this.orbit.reachTo(this.neighbours.bounds);
        this.invalidate();
      },
      (material, of) => this.#link(material, of),
    );
    this.#pace = new Pace(this.#renderer.getContext() as WebGL2RenderingContext, this.#easel(), (settled) =>
      this.#drawn(settled),
    );
    this.#scenery = new Scenery(surface, this.#sourcesOn(0), this.ground);
    this.#highlight = new Highlight(surface.geometry, this.#programs.tint);
    this.#scene.add(this.#scenery.mesh, this.#highlight.mesh);
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
    return new Scenery(countedFrom(surface, this.origin), sources, this.ground);
  }

  /** Show and paint on another mesh. */
  use(scenery: Scenery): void {
    if (scenery === this.#scenery) return;
    this.#scene.remove(this.#scenery.mesh, this.#highlight.mesh);
    this.#scenery = scenery;
    this.#highlight.dispose();
    this.#highlight = new Highlight(scenery.geometry, this.#programs.tint);
    this.#scene.add(scenery.mesh, this.#highlight.mesh);
    this.picker.dispose();
    this.picker = this.#pickerOf(scenery.geometry);
    this.picker.prepare();
    this.#programs.fit(this.#sceneries());
    this.invalidate();
  }

  get scenery(): Scenery {
    return this.#scenery;
  }

  applyFrame(frame: Frame | HeightsPart): void {
    if ("heights" in frame) this.ground?.apply(frame);
    else this.sources[frame.set]?.apply(frame);
    this.invalidate(true);
  }

  setView(view: View): void {
    this.#view = view;
    this.invalidate();
  }

  setBeside(beside: Beside | null): void {
    this.#beside = beside;
    this.orbit.resize(this.#size.x * (beside?.sideBySide ? 0.5 : 1), this.#size.y);
    if (beside?.scenery) this.#programs.fit(this.#sceneries());
    this.invalidate(true);
  }

  setHidden(groups: GroupRun[], hidden: ReadonlySet<string>): void {
    this.#scenery.show(groups, hidden);
    this.picker.hidden = groups
      .filter((group) => hidden.has(group.name))
      .map((group) => ({ first: group.first, count: group.triangles }));
    this.invalidate();
  }

  /** Tint chosen triangles. */
  choose(triangles: Iterable<number>): void {
    this.#highlight.choose(triangles, this.#scenery.geometry.index!.array);
    this.invalidate(true);
  }

  setBlend(input: BlendInput): void {
    this.#programs.fit(this.#sceneries(), input);
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
    this.#size.set(width, height);
    this.orbit.resize(width * (this.#beside?.sideBySide ? 0.5 : 1), height);
    this.invalidate();
  }

  /** Show the whole surface, from where one looks now or from a direction. */
  frameAll(from?: Direction): void {
    if (from) this.orbit.from(from);
    this.orbit.frame(this.#scenery.geometry.attributes["position"]!.array);
    this.invalidate();
  }

  /** Go near to a neighbour. */
  visit(number: number): void {
    const bounds = this.neighbours.bounds[number];
    if (bounds) this.orbit.visit(bounds);
    this.invalidate();
  }

  moveLight(dx: number, dy: number): void {
    const light = this.#programs.shared.light.value;
    const turn = Math.atan2(light.x, light.z) + dx * 3;
    const tilt = Math.min(1.5, Math.max(-0.2, Math.asin(light.y) - dy * 3));
    light.set(Math.cos(tilt) * Math.sin(turn), Math.sin(tilt), Math.cos(tilt) * Math.cos(turn));
    this.invalidate(true);
  }

  // Places

  /** Where the key light shines from, of length one. */
  get keyLight(): [number, number, number] {
    return this.#programs.shared.light.value.toArray();
  }

  /** From the scene's metres to the world's. */
  inWorld(place: Vector3): [number, number, number] {
    return [place.x + this.origin.x, place.y + this.origin.y, place.z + this.origin.z];
  }

  /** And back. */
  inScene([x, y, z]: [number, number, number]): Vector3 {
    return new Vector3(x, y, z).sub(this.origin);
  }

  /** From pixels to the camera's normalised coordinates; side by side, each half is a picture. */
  toNormalised(x: number, y: number): Vector2 {
    const width = this.#beside?.sideBySide ? this.#size.x / 2 : this.#size.x;
    return new Vector2(((x % width) / width) * 2 - 1, 1 - (y / this.#size.y) * 2);
  }

  /** Where a place is on the screen, in the first picture. */
  toPixels(place: Vector3): { x: number; y: number } {
    const width = this.#beside?.sideBySide ? this.#size.x / 2 : this.#size.x;
    const at = place.clone().project(this.orbit.camera);
    return { x: ((at.x + 1) / 2) * width, y: ((1 - at.y) / 2) * this.#size.y };
  }

  hit(x: number, y: number): Hit | null {
    return this.picker.hit(this.toNormalised(x, y), this.orbit.camera);
  }

  /**
   * Triangles turned to the eye whose middle lies inside an outline of pixels.
   * through: those behind others, too; else only those whose middle is seen.
   */
  async inside(outline: { x: number; y: number }[], through: boolean): Promise<number[]> {
    const shape = outline.map((p) => this.toNormalised(p.x, p.y));
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

  /** Rows of the matrix from the world to homogeneous view coordinates whose height is one. */
  viewRows(): number[] {
    const { camera } = this.orbit;
    const m = camera.projectionMatrix.clone().multiply(camera.matrixWorldInverse).elements;
    const { x, y, z } = this.origin;
    const row = (r: number, scale: number) => {
      const [a, b, c, d] = [0, 1, 2, 3].map((column) => m[4 * column + r]! * scale);
      return [a!, b!, c!, d! - a! * x - b! * y - c! * z];
    };
    return [...row(0, camera.aspect / 2), ...row(1, 0.5), ...row(3, 1)];
  }

  /** Whether there is something to draw a view with, of this scenery or another. */
  has(view: View, of: Scenery = this.#scenery): boolean {
    return this.#programs.nameOf(of, view, null) !== null;
  }

  /** A small picture of what a view shows, as soon as what it needs is here; null if that takes too long. */
  async pictureOf(view: View, width: number, height: number): Promise<Blob | null> {
    for (let waited = 0; !this.has(view); waited++) {
      if (waited === 30) return null;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    return this.thumbnail(width, height, null, view);
  }

  /** A small picture of the surface as it is now, of another scenery, or of another view; null if it changed meanwhile. */
  async thumbnail(
    width: number,
    height: number,
    of: Scenery | null = null,
    view: View = this.#view,
  ): Promise<Blob | null> {
    if (of) {
      this.#programs.fit([this.#scenery, of]);
      if (!(await this.#programs.arrived(of))) return null;
    }
    const aside = of !== null || view !== this.#view;
    const alone = (size: Vector2) => [
      this.#placed({ x: 0, y: 0, width: size.x, height: size.y }, of ?? this.#scenery, view),
    ];
    const passes = aside ? alone : (size: Vector2) => this.#passes(size);
    const changes = this.#changes;
    try {
      return await this.#screen.small(width, height, SMALL_BANDS, passes, async () => {
        await this.#done();
        return changes === this.#changes && !this.#gone;
      });
    } finally {
      of?.dispose();
    }
  }

  // Rendering

  /** Have a material compiled beside what is drawn; whether the graphics card takes it. */
  async #link(material: RawShaderMaterial, of: Scenery): Promise<boolean> {
    // Whatever is built for long comes after the first picture of shape and light.
    while (!this.#prepared && !this.#gone) await new Promise((resolve) => setTimeout(resolve, 10));
    const known = new Set(this.#renderer.info.programs);
    const trial = new Scene();
    const mesh = new ThreeMesh(of.mesh.geometry, material);
    mesh.frustumCulled = false;
    trial.add(mesh);
    await this.#renderer.compileAsync(trial, this.orbit.camera);
    if (this.#gone) return false;
    const gl = this.#renderer.getContext();
    const made = (this.#renderer.info.programs ?? [])
      .filter((program) => !known.has(program))
      .map((program) => (program as unknown as { program: WebGLProgram }).program);
    // Without a graphics card a program is linked when it is asked about first, and whoever asks waits for as
    // long. Validating is the one question that wants no answer, so the page goes on meanwhile.
    for (const program of made) gl.validateProgram(program);
    await this.#done();
    if (this.#gone) return false;
    const taken = made.every((program) => gl.getProgramParameter(program, gl.LINK_STATUS));
    if (!taken) return false;
    // Without a graphics card a program is built when it draws first: one pixel of it, beside what is shown.
    this.#screen.tried(() => this.#renderer.render(trial, this.orbit.camera));
    await this.#done();
    return !this.#gone;
  }

  /** Wait until the graphics card has done what it was told. */
  async #done(): Promise<void> {
    const gl = this.#renderer.getContext() as WebGL2RenderingContext;
    const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0)!;
    gl.flush();
    do await new Promise((resolve) => setTimeout(resolve, 4));
    while (!this.#gone && gl.getSyncParameter(fence, gl.SYNC_STATUS) !== gl.SIGNALED);
    gl.deleteSync(fence);
  }

  invalidate(moving = false): void {
    this.#changes++;
    this.onChanged();
    this.#pace.invalidate(moving);
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
        return viewport.#size.x * viewport.#size.y * scale() ** 2;
      },
      mayBeFine: resolution >= 1,
      begin: (share, fine) => {
        screen.resize(this.#size.x, this.#size.y, scale());
        this.#sharpen(fine ? Math.min(8, this.#renderer.capabilities.getMaxAnisotropy()) : 1);
        return screen.begin(share, fine);
      },
      band: (from, to) => screen.band(from, to, (size) => this.#passes(size)),
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

  /** What a picture is made of: one view, or two beside each other. */
  #passes(size: Vector2): Pass[] {
    const { x: width, y: height } = size;
    const whole = { x: 0, y: 0, width, height };
    const first = this.#placed(whole, this.#scenery, this.#view);
    const beside = this.#beside;
    if (!beside) return [first];
    const second = this.#placed(whole, beside.scenery ?? this.#scenery, beside.view);
    const half = Math.round(width / 2);
    const at = beside.sideBySide ? half : Math.round(width * beside.at);
    const [left, right] = [
      { x: 0, y: 0, width: at, height },
      { x: at, y: 0, width: width - at, height },
    ];
    return beside.sideBySide
      ? [
          { ...first, viewport: left, scissor: left },
          { ...second, viewport: right, scissor: right },
        ]
      : [
          { ...first, scissor: left },
          { ...second, scissor: right },
        ];
  }

  #placed(whole: Part, scenery: Scenery, view: View): Pass {
    const draw = (low: number, high: number) => {
      const { camera } = this.orbit;
      this.#programs.shared.eye.value.copy(camera.position);
      this.ground?.select(camera);
      const part = high - low < 1.99 && !this.#programs.moves(view);
      const matrix = camera.projectionMatrix.clone().multiply(camera.matrixWorldInverse);
      scenery.confine(part ? matrix : null, low, high);
      this.#pass(scenery, view);
      scenery.confine(null);
    };
    return { viewport: whole, scissor: whole, draw };
  }

  #pass(scenery: Scenery, view: View): void {
    const main = scenery === this.#scenery;
    const found = this.#programs.materialFor(scenery, view, main);
    if (!found) return;
    // Groups are runs with a material number each; where they look alike, all numbers are one material.
    const mesh: Mesh = scenery.mesh;
    mesh.material = Array.isArray(found) ? found : Array.from({ length: scenery.materials }, () => found);
    if (!main) {
      this.#scene.remove(this.#scenery.mesh, this.#highlight.mesh);
      this.#scene.add(mesh);
    }
    const draw = () => this.#renderer.render(this.#scene, this.orbit.camera);
    if (view.lens === "blend") this.neighbours.amid(this.#scene, this.#programs.shared, draw);
    else draw();
    if (!main) {
      this.#scene.remove(mesh);
      this.#scene.add(this.#scenery.mesh, this.#highlight.mesh);
    }
  }

  dispose(): void {
    this.#gone = true;
    this.#pace.stop();
    this.#screen.dispose();
    this.picker.dispose();
    this.#programs.dispose();
    this.neighbours.dispose();
    for (const source of this.sources) source.dispose();
    this.#highlight.dispose();
    this.#scenery.dispose();
    this.ground?.dispose();
    this.#renderer.dispose();
  }
}
