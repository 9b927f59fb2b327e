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
import type { ChannelSetView } from "../state/types";
import { countedFrom, originOf, type SurfaceGeometry } from "./geometry";
import type { Direction, Orbit } from "./orbit";
import { trianglesInside } from "./outline";
import { Neighbours } from "./neighbours";
import { Pace } from "./pace";
import { Picker, type Hit, type Picking } from "./picking";
import { Programs, type BlendInput, type View } from "./programs";
import { Highlight, Scenery, type GroupRun } from "./scenery";
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

export class Viewport {
  picker: Picking;
  /** Called after a picture is on the screen. settled: it is at full resolution and nothing waits. */
  onDrawn: (settled: boolean) => void = () => {};
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
  #shape = "";
  #prepared = false;

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
      antialias: resolution >= 1,
      powerPreference: "high-performance",
    });
    this.#renderer.autoClear = false;
    // Until its first picture the renderer would clear to opaque black.
    this.#renderer.setClearColor(0x000000, 0);
    this.#renderer.debug.onShaderError = (gl, _program, _vertex, fragment) => {
      console.error("The blend's shader does not compile:", gl.getShaderInfoLog(fragment));
    };
    const anisotropy = resolution >= 1 ? Math.min(8, this.#renderer.capabilities.getMaxAnisotropy()) : 1;
    this.origin = originOf(surface.facts);
    this.ground =
      surface.terrain &&
      new TerrainGround(surface.terrain, surface.geometry.attributes["position"]!.array, this.origin);
    this.#programs = new Programs(
      sets,
      this.ground,
      anisotropy,
      () => this.invalidate(),
      (material, of) => this.#link(material, of),
      () => this.onRefused(),
    );
    this.neighbours = new Neighbours(this.origin, anisotropy, () => {
      this.orbit.reachTo(this.neighbours.bounds);
      this.invalidate();
    });
    this.#pace = new Pace(
      this.#renderer.getContext() as WebGL2RenderingContext,
      (detail) => this.#draw(detail),
      (settled) => this.#drawn(settled),
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

  /** Triangles turned to the eye whose middle lies inside an outline of pixels. */
  inside(outline: { x: number; y: number }[]): number[] {
    const shape = outline.map((p) => this.toNormalised(p.x, p.y));
    return trianglesInside(this.#scenery.geometry, this.orbit.camera, shape, this.picker.hidden);
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

  /** A small picture of what a view shows, as soon as what it needs is here; null if that takes too long. */
  async pictureOf(view: View, width: number, height: number): Promise<Blob | null> {
    for (let waited = 0; !this.#programs.materialFor(this.#scenery, view, true); waited++) {
      if (waited === 30) return null;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    return this.thumbnail(width, height, null, view);
  }

  /** A small picture of the surface as it is now, of another scenery, or of another view. */
  thumbnail(
    width: number,
    height: number,
    of: Scenery | null = null,
    view: View = this.#view,
  ): Promise<Blob | null> {
    const canvas = this.#renderer.domElement;
    const small = document.createElement("canvas");
    small.width = width;
    small.height = height;
    // The drawing buffer is read in the task that drew it, or it would be empty.
    const aside = of !== null || view !== this.#view;
    if (aside) {
      if (of) this.#programs.fit([this.#scenery, of]);
      this.#programs.shared.eye.value.copy(this.orbit.camera.position);
      this.ground?.select(this.orbit.camera);
      this.#renderer.setScissorTest(false);
      this.#renderer.setViewport(0, 0, this.#size.x, this.#size.y);
      this.#renderer.clear();
      this.#pass(of ?? this.#scenery, view);
    } else this.#render();
    const scale = Math.max(small.width / canvas.width, small.height / canvas.height);
    const [w, h] = [canvas.width * scale, canvas.height * scale];
    const c = small.getContext("2d", { willReadFrequently: true })!;
    c.fillStyle = "#3a3a3a";
    c.fillRect(0, 0, small.width, small.height);
    c.drawImage(canvas, (small.width - w) / 2, (small.height - h) / 2, w, h);
    if (aside) {
      // The screen shows the surface itself again before anybody sees this.
      this.#render();
      of?.dispose();
    }
    return new Promise((resolve) => small.toBlob(resolve, "image/webp", 0.7));
  }

  // Rendering

  /** Have a material compiled beside what is drawn; whether the graphics card takes it. */
  async #link(material: RawShaderMaterial, of: Scenery): Promise<boolean> {
    const known = new Set(this.#renderer.info.programs);
    const trial = new Scene();
    trial.add(new ThreeMesh(of.geometry, material));
    await this.#renderer.compileAsync(trial, this.orbit.camera);
    const gl = this.#renderer.getContext();
    const made = (this.#renderer.info.programs ?? []).filter((program) => !known.has(program));
    return made.every((p) =>
      gl.getProgramParameter((p as unknown as { program: WebGLProgram }).program, gl.LINK_STATUS),
    );
  }

  invalidate(moving = false): void {
    this.#pace.invalidate(moving);
  }

  #draw(detail: number): boolean {
    if (!this.#programs.materialFor(this.#scenery, this.#view, true)) return false;
    const scale = this.resolution * detail * Math.min(devicePixelRatio, 2);
    const shape = `${scale}/${this.#size.x}/${this.#size.y}`;
    if (shape !== this.#shape) {
      this.#shape = shape;
      this.#renderer.setPixelRatio(scale);
      this.#renderer.setSize(this.#size.x, this.#size.y, false);
    }
    this.#render();
    return true;
  }

  #drawn(settled: boolean): void {
    if (!this.#prepared) {
      // Only now: on few cores it would keep the first picture waiting.
      this.#prepared = true;
      this.picker.prepare();
    }
    this.onDrawn(settled && !this.#programs.waiting && !this.neighbours.waiting);
  }

  #render(): void {
    const renderer = this.#renderer;
    const [width, height] = [this.#size.x, this.#size.y];
    const beside = this.#beside;
    this.#programs.shared.eye.value.copy(this.orbit.camera.position);
    this.ground?.select(this.orbit.camera);
    renderer.setScissorTest(false);
    renderer.setViewport(0, 0, width, height);
    renderer.clear();
    if (!beside) {
      this.#pass(this.#scenery, this.#view);
      return;
    }
    const half = width / 2;
    const at = beside.sideBySide ? half : width * beside.at;
    renderer.setScissorTest(true);
    renderer.setScissor(0, 0, at, height);
    if (beside.sideBySide) renderer.setViewport(0, 0, half, height);
    this.#pass(this.#scenery, this.#view);
    renderer.setScissor(at, 0, width - at, height);
    if (beside.sideBySide) renderer.setViewport(half, 0, half, height);
    this.#pass(beside.scenery ?? this.#scenery, beside.view);
    renderer.setScissorTest(false);
  }

  #pass(scenery: Scenery, view: View): void {
    const main = scenery === this.#scenery;
    const found = this.#programs.materialFor(scenery, view, main);
    if (!found) return;
    // Groups are runs with a material number each; where they look alike, all numbers are one material.
    const most = Math.max(0, ...scenery.geometry.groups.map((g) => g.materialIndex ?? 0));
    const mesh: Mesh = scenery.mesh;
    mesh.material = Array.isArray(found) ? found : Array.from({ length: most + 1 }, () => found);
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
    this.#pace.stop();
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
