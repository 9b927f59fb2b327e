/** The picture: renders on demand, swaps the blend's program when it is ready, reports when it is drawn. */

import { Color, Scene, Vector2, Vector3, Vector4, WebGLRenderer, type RawShaderMaterial } from "three";

import type { Frame } from "../state/frames";
import { structureOf } from "../state/layers";
import type { Lens } from "../state/lenses";
import type { BlendDocument, ChannelSetView, CompiledBlend, MaterialView } from "../state/types";
import { SetValues, TexelValues, type SetSource, type SurfaceGeometry } from "./geometry";
import {
  atPath,
  bindUniforms,
  blendMaterial,
  channelMaterial,
  groupColour,
  lengthMaterial,
  plainMaterial,
  setMaterial,
  type SetReader,
  type Shared,
} from "./materials";
import type { Orbit } from "./orbit";
import { Picker, type Hit } from "./picking";
import { Highlight, Scenery, type GroupRun } from "./scenery";
import { Textures } from "./textures";

/** A frame slower than this, in milliseconds, makes moving pictures coarser. */
const SLOW = 70;
const COARSEST = 0.35;
const SETTLE = 220;

export interface BlendInput {
  compiled: { blend: CompiledBlend; from: BlendDocument };
  document: BlendDocument;
  materials: MaterialView[];
}

/** What one side of the picture shows. range: of a lens of lengths, in metres. */
export interface View {
  lens: Lens;
  set: number;
  channel: number;
  range: [number, number];
}

/** The second picture: to the right of the divider, or beside the first. at: 0..1 across. */
export interface Beside {
  view: View;
  scenery: Scenery | null;
  sideBySide: boolean;
  at: number;
}

/** The material in each texture slot; null while one of them is not known here. */
export function materialsInSlots(
  slots: string[],
  document: BlendDocument,
  materials: MaterialView[],
): MaterialView[] | null {
  const used = slots.map((slot) => materials.find((m) => m.id === atPath(document, slot)));
  return used.every((m) => m !== undefined) ? used : null;
}

/** A place for the values of each set, on vertices or over the map. */
export function sourcesFor(sets: ChannelSetView[], vertices: (level: number) => number): SetSource[] {
  return sets.map((set) =>
    set.sites.kind === "texels"
      ? new TexelValues(set.sites.size ?? 1024)
      : new SetValues(vertices(set.sites.level ?? 0)),
  );
}

export class Viewport {
  picker: Picker;
  /** Called after a picture is on the screen. settled: it is at full resolution and nothing waits. */
  onDrawn: (settled: boolean) => void = () => {};

  readonly #renderer: WebGLRenderer;
  readonly #scene = new Scene();
  readonly #shared: Shared = {
    eye: { value: new Vector3() },
    light: { value: new Vector3(-0.45, 0.72, 0.52).normalize() },
  };
  #scenery: Scenery;
  #highlight: Highlight;
  #view: View = { lens: "blend", set: 0, channel: 0, range: [0.01, 1] };
  #beside: Beside | null = null;
  #input: BlendInput | null = null;
  #blends = new Map<Scenery, { key: string; material: RawShaderMaterial }>();
  #textures: Textures | null = null;
  #loading = "";
  #flat = new Map<string, RawShaderMaterial>();
  #tint = plainMaterial(new Color(0.4, 0.75, 0.67), 0.55, this.#shared);
  #size = new Vector2(1, 1);
  #shape = "";
  #coarse = 1;
  #moving = false;
  #asked = false;
  #drawing = false;
  #again = false;
  #settleTimer: ReturnType<typeof setTimeout> | undefined;
  #gone = false;
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
    this.#scenery = new Scenery(surface, this.#sourcesOn(0));
    this.#highlight = new Highlight(surface.geometry, this.#tint);
    this.#scene.add(this.#scenery.mesh, this.#highlight.mesh);
    this.picker = new Picker(surface.geometry, onPickerReady);
  }

  /** Sets on a level's vertices, and those over the map; null for the others. */
  #sourcesOn(level: number): (SetSource | null)[] {
    return this.sources.map((source, i) => {
      const sites = this.sets[i]!.sites;
      return sites.kind === "texels" || (sites.level ?? 0) === level ? source : null;
    });
  }

  // What to show

  /** A scenery for a level of detail, for a planned mesh or for other values of the same mesh. */
  sceneryFor(surface: SurfaceGeometry, level: number, sources = this.#sourcesOn(level)): Scenery {
    return new Scenery(surface, sources);
  }

  /** Show and paint on another mesh. */
  use(scenery: Scenery): void {
    if (scenery === this.#scenery) return;
    this.#scene.remove(this.#scenery.mesh, this.#highlight.mesh);
    this.#scenery = scenery;
    this.#highlight.dispose();
    this.#highlight = new Highlight(scenery.geometry, this.#tint);
    this.#scene.add(scenery.mesh, this.#highlight.mesh);
    this.picker.dispose();
    this.picker = new Picker(scenery.geometry, this.onPickerReady);
    this.picker.prepare();
    if (this.#input) this.setBlend(this.#input);
    this.invalidate();
  }

  get scenery(): Scenery {
    return this.#scenery;
  }

  applyFrame(frame: Frame): void {
    this.sources[frame.set]?.apply(frame);
    this.invalidate(true);
  }

  setView(view: View): void {
    this.#view = view;
    this.invalidate();
  }

  setBeside(beside: Beside | null): void {
    this.#beside = beside;
    this.orbit.resize(this.#size.x * (beside?.sideBySide ? 0.5 : 1), this.#size.y);
    if (beside?.scenery && this.#input) this.setBlend(this.#input);
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
    this.#input = input;
    const { blend, from } = input.compiled;
    // A document edited since may have other layers than the program; then its numbers wait.
    const values = structureOf(input.document) === structureOf(from) ? input.document : from;
    for (const scenery of this.#sceneries()) this.#fitBlend(scenery, blend, values);
    this.#loadTextures(blend.slots, values, input.materials);
    this.invalidate(true);
  }

  #sceneries(): Scenery[] {
    const other = this.#beside?.scenery;
    return other ? [this.#scenery, other] : [this.#scenery];
  }

  #fitBlend(scenery: Scenery, blend: CompiledBlend, values: BlendDocument): void {
    const readers = blend.channel_sets.map((id) => this.#readerOf(id, scenery));
    if (readers.some((reader) => reader === null)) return;
    const key = `${blend.structure}/${readers.map((r) => `${r!.source.kind}${r!.index}`).join()}`;
    let fitted = this.#blends.get(scenery);
    if (fitted?.key !== key) {
      fitted?.material.dispose();
      fitted = { key, material: blendMaterial(blend, readers as SetReader[], this.#shared) };
      this.#blends.set(scenery, fitted);
      if (this.#textures) this.#hang(this.#textures);
    }
    bindUniforms(fitted.material, blend, values, scenery.facts);
  }

  /** The set itself where it lies on the scenery, or the one that follows it there. */
  #readerOf(id: string, scenery: Scenery): SetReader | null {
    const index = this.sets.findIndex(
      (set, i) =>
        scenery.sources[i] && (set.id === id || (set.sites.kind === "vertices" && set.sites.follows === id)),
    );
    return index < 0 ? null : { index, source: scenery.sources[index]! };
  }

  #loadTextures(slots: string[], document: BlendDocument, materials: MaterialView[]): void {
    const wanted = materialsInSlots(slots, document, materials);
    if (!wanted) return;
    const key = Textures.keyFor(wanted);
    if (key === this.#textures?.key || key === this.#loading) return;
    this.#loading = key;
    const anisotropy = this.resolution >= 1 ? Math.min(8, this.#renderer.capabilities.getMaxAnisotropy()) : 1;
    void Textures.load(wanted, anisotropy).then(
      (textures) => {
        if (this.#gone || this.#loading !== key) return textures.dispose();
        this.#loading = "";
        this.#textures?.dispose();
        this.#textures = textures;
        this.#hang(textures);
        this.invalidate();
      },
      (error: unknown) => {
        this.#loading = "";
        console.error(error);
      },
    );
  }

  #hang(textures: Textures): void {
    for (const { material } of this.#blends.values()) {
      material.uniforms["pack_surface"]!.value = textures.arrays.surface;
      material.uniforms["pack_detail"]!.value = textures.arrays.detail;
    }
  }

  #materialFor(scenery: Scenery, view: View): RawShaderMaterial | RawShaderMaterial[] | null {
    const { lens } = view;
    if (lens === "blend") return this.#textures ? (this.#blends.get(scenery)?.material ?? null) : null;
    if (lens === "groups") return this.#groupMaterials(scenery);
    if (lens === "grain" || lens === "distance") {
      if (!scenery.geometry.attributes[lens]) return null;
      const material = this.#kept(lens, () => lengthMaterial(lens, this.#shared));
      (material.uniforms["range"]!.value as Vector2).set(...view.range);
      return material;
    }
    const source = scenery.sources[view.set];
    if (!source) return null;
    const reader = { index: view.set, source };
    const material = this.#kept(`${lens}${source.kind}${view.set}/${this.#numberOf(scenery)}`, () =>
      lens === "channel" ? channelMaterial(reader, this.#shared) : setMaterial(reader, this.#shared),
    );
    if (lens === "channel") {
      const pick = [0, 1, 2, 3].map((c) => +(c === view.channel)) as [number, number, number, number];
      (material.uniforms["pick"]!.value as Vector4).set(...pick);
    }
    return material;
  }

  #numberOf(scenery: Scenery): number {
    return scenery === this.#scenery ? 0 : 1;
  }

  #groupMaterials(scenery: Scenery): RawShaderMaterial[] {
    const count = Math.max(1, ...scenery.geometry.groups.map((g) => (g.materialIndex ?? 0) + 1));
    return Array.from({ length: count }, (_, i) =>
      this.#kept(`group${i}`, () => plainMaterial(groupColour(i), 1, this.#shared)),
    );
  }

  #kept(key: string, make: () => RawShaderMaterial): RawShaderMaterial {
    let found = this.#flat.get(key);
    if (!found) this.#flat.set(key, (found = make()));
    return found;
  }

  // The view

  resize(width: number, height: number): void {
    this.#size.set(width, height);
    this.orbit.resize(width * (this.#beside?.sideBySide ? 0.5 : 1), height);
    this.invalidate();
  }

  frameAll(): void {
    this.orbit.frame(this.#scenery.geometry.attributes["position"]!.array);
    this.invalidate();
  }

  moveLight(dx: number, dy: number): void {
    const light = this.#shared.light.value;
    const turn = Math.atan2(light.x, light.z) + dx * 3;
    const tilt = Math.min(1.5, Math.max(-0.2, Math.asin(light.y) - dy * 3));
    light.set(Math.cos(tilt) * Math.sin(turn), Math.sin(tilt), Math.cos(tilt) * Math.cos(turn));
    this.invalidate(true);
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

  /** Triangles turned to the eye whose middle lies inside an outline of pixels; `through` takes all. */
  inside(outline: { x: number; y: number }[], through: boolean): number[] {
    const { geometry } = this.#scenery;
    const index = geometry.index!.array;
    const positions = geometry.attributes["position"]!.array;
    const hidden = this.picker.hidden;
    const shape = outline.map((p) => this.toNormalised(p.x, p.y));
    const [a, b, c, middle, eye] = [
      new Vector3(),
      new Vector3(),
      new Vector3(),
      new Vector3(),
      new Vector3(),
    ];
    const found: number[] = [];
    for (let t = 0; t < index.length / 3; t++) {
      if (hidden.some((run) => t >= run.first && t < run.first + run.count)) continue;
      a.fromArray(positions, 3 * index[3 * t]!);
      b.fromArray(positions, 3 * index[3 * t + 1]!);
      c.fromArray(positions, 3 * index[3 * t + 2]!);
      middle.copy(a).add(b).add(c).divideScalar(3);
      eye.copy(this.orbit.camera.position).sub(middle);
      if (!through && b.sub(a).cross(c.sub(a)).dot(eye) <= 0) continue;
      middle.project(this.orbit.camera);
      if (middle.z < 1 && pointInside(shape, middle.x, middle.y)) found.push(t);
    }
    return found;
  }

  /** Rows of the matrix from position to homogeneous view coordinates whose height is one. */
  viewRows(): number[] {
    const { camera } = this.orbit;
    const m = camera.projectionMatrix.clone().multiply(camera.matrixWorldInverse).elements;
    const row = (r: number, scale: number) => [0, 1, 2, 3].map((c) => m[4 * c + r]! * scale);
    return [...row(0, camera.aspect / 2), ...row(1, 0.5), ...row(3, 1)];
  }

  /** A small picture of the surface as it is now, for the list of steps. */
  thumbnail(): Promise<Blob | null> {
    const canvas = this.#renderer.domElement;
    const small = document.createElement("canvas");
    small.width = 120;
    small.height = 75;
    // The drawing buffer is read in the task that drew it, or it would be empty.
    this.#render();
    const scale = Math.max(small.width / canvas.width, small.height / canvas.height);
    const [w, h] = [canvas.width * scale, canvas.height * scale];
    const c = small.getContext("2d", { willReadFrequently: true })!;
    c.fillStyle = "#3a3a3a";
    c.fillRect(0, 0, small.width, small.height);
    c.drawImage(canvas, (small.width - w) / 2, (small.height - h) / 2, w, h);
    return new Promise((resolve) => small.toBlob(resolve, "image/webp", 0.7));
  }

  // Rendering

  /** Draw soon. moving: more will follow, so a coarser picture will do on a slow machine. */
  invalidate(moving = false): void {
    if (moving) this.#moving = true;
    if (this.#drawing) {
      this.#again = true;
      return;
    }
    if (this.#asked || this.#gone) return;
    this.#asked = true;
    requestAnimationFrame(() => this.#draw());
  }

  #draw(): void {
    this.#asked = false;
    if (this.#gone) return;
    if (!this.#materialFor(this.#scenery, this.#view)) return;
    const detail = this.#moving ? this.#coarse : 1;
    const scale = this.resolution * detail * Math.min(devicePixelRatio, 2);
    const shape = `${scale}/${this.#size.x}/${this.#size.y}`;
    if (shape !== this.#shape) {
      this.#shape = shape;
      this.#renderer.setPixelRatio(scale);
      this.#renderer.setSize(this.#size.x, this.#size.y, false);
    }
    const began = performance.now();
    this.#render();
    this.#drawing = true;
    const gl = this.#renderer.getContext() as WebGL2RenderingContext;
    const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0)!;
    gl.flush();
    const wait = () => {
      const state = gl.clientWaitSync(fence, 0, 0);
      if (state === gl.TIMEOUT_EXPIRED && !this.#gone) {
        setTimeout(wait, 1);
        return;
      }
      gl.deleteSync(fence);
      this.#drawn(performance.now() - began, detail < 1);
    };
    setTimeout(wait, 0);
  }

  #render(): void {
    const renderer = this.#renderer;
    const [width, height] = [this.#size.x, this.#size.y];
    const beside = this.#beside;
    this.#shared.eye.value.copy(this.orbit.camera.position);
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
    const found = this.#materialFor(scenery, view);
    if (!found) return;
    const main = scenery === this.#scenery;
    // Groups are runs with a material number each; where they look alike, all numbers are one material.
    const most = Math.max(0, ...scenery.geometry.groups.map((g) => g.materialIndex ?? 0));
    scenery.mesh.material = Array.isArray(found) ? found : Array.from({ length: most + 1 }, () => found);
    if (!main) {
      this.#scene.remove(this.#scenery.mesh, this.#highlight.mesh);
      this.#scene.add(scenery.mesh);
    }
    this.#renderer.render(this.#scene, this.orbit.camera);
    if (!main) {
      this.#scene.remove(scenery.mesh);
      this.#scene.add(this.#scenery.mesh, this.#highlight.mesh);
    }
  }

  #drawn(took: number, wasCoarse: boolean): void {
    this.#drawing = false;
    if (!this.#prepared) {
      // Only now: on few cores it would keep the first picture waiting.
      this.#prepared = true;
      this.picker.prepare();
    }
    if (this.#moving) {
      const aim = Math.sqrt(SLOW / Math.max(took, 1)) * this.#coarse;
      this.#coarse = Math.min(1, Math.max(COARSEST, took > SLOW ? aim : this.#coarse * 1.15));
    }
    const again = this.#again;
    this.#again = false;
    const waiting = this.sources.some((source) => source instanceof TexelValues && !source.ready);
    this.onDrawn(!again && !wasCoarse && this.#loading === "" && !waiting);
    clearTimeout(this.#settleTimer);
    if (again) this.invalidate(this.#moving);
    else if (this.#moving || wasCoarse) {
      this.#settleTimer = setTimeout(() => {
        this.#moving = false;
        if (wasCoarse) this.invalidate();
      }, SETTLE);
    }
  }

  dispose(): void {
    this.#gone = true;
    clearTimeout(this.#settleTimer);
    this.picker.dispose();
    this.#textures?.dispose();
    for (const { material } of this.#blends.values()) material.dispose();
    for (const material of this.#flat.values()) material.dispose();
    for (const source of this.sources) if (source instanceof TexelValues) source.dispose();
    this.#highlight.dispose();
    this.#scenery.dispose();
    this.#renderer.dispose();
  }
}

/** Whether a place lies inside an outline (even–odd rule). */
function pointInside(outline: Vector2[], x: number, y: number): boolean {
  let inside = false;
  for (let i = 0, j = outline.length - 1; i < outline.length; j = i++) {
    const [a, b] = [outline[i]!, outline[j]!];
    if (a.y > y !== b.y > y && x < ((b.x - a.x) * (y - a.y)) / (b.y - a.y) + a.x) inside = !inside;
  }
  return inside;
}
