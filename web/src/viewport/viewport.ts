/** The picture: renders on demand, swaps the blend's program when it is ready, reports when it is drawn. */

import { Mesh, Scene, Vector2, Vector3, Vector4, WebGLRenderer, type RawShaderMaterial } from "three";

import type { Frame } from "../state/frames";
import { structureOf } from "../state/layers";
import type { Lens } from "../state/studio.svelte";
import type { BlendDocument, ChannelSetView, CompiledBlend, MaterialView } from "../state/types";
import { SetValues, type SurfaceGeometry } from "./geometry";
import { atPath, bindUniforms, blendMaterial, channelMaterial, setMaterial, type Shared } from "./materials";
import { Orbit } from "./orbit";
import { Picker, type Hit } from "./picking";
import { Textures } from "./textures";

/** A frame slower than this, in milliseconds, makes moving pictures coarser. */
const SLOW = 70;
const COARSEST = 0.35;
const SETTLE = 220;

export interface BlendInput {
  compiled: { blend: CompiledBlend; from: BlendDocument };
  document: BlendDocument;
  sets: ChannelSetView[];
  materials: MaterialView[];
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

export class Viewport {
  readonly orbit = new Orbit();
  readonly picker: Picker;
  /** Called after a picture is on the screen. settled: it is at full resolution and nothing waits. */
  onDrawn: (settled: boolean) => void = () => {};

  readonly #renderer: WebGLRenderer;
  readonly #scene = new Scene();
  readonly #mesh: Mesh;
  readonly #values: SetValues[];
  readonly #shared: Shared = {
    eye: { value: new Vector3() },
    light: { value: new Vector3(-0.45, 0.72, 0.52).normalize() },
  };
  #lens: { lens: Lens; set: number; channel: number } = { lens: "blend", set: 0, channel: 0 };
  #blend: { key: string; material: RawShaderMaterial; compiled: CompiledBlend } | null = null;
  #textures: Textures | null = null;
  #loading = "";
  #flat = new Map<string, RawShaderMaterial>();
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
    private readonly surface: SurfaceGeometry,
    sets: number,
    private readonly resolution: number,
    onPickerReady: () => void,
  ) {
    this.#renderer = new WebGLRenderer({
      canvas,
      alpha: true,
      antialias: resolution >= 1,
      powerPreference: "high-performance",
    });
    this.#renderer.debug.onShaderError = (gl, _program, _vertex, fragment) => {
      console.error("The blend's shader does not compile:", gl.getShaderInfoLog(fragment));
    };
    this.#values = Array.from({ length: sets }, () => new SetValues(surface.sites));
    this.#values.forEach((v, i) => surface.geometry.setAttribute(`set${i}`, v.attribute));
    this.#mesh = new Mesh(surface.geometry);
    this.#mesh.frustumCulled = false;
    this.#scene.add(this.#mesh);
    this.picker = new Picker(surface.geometry, onPickerReady);
  }

  // What to show

  applyFrame(frame: Frame): void {
    this.#values[frame.set]?.apply(frame);
    this.invalidate(true);
  }

  setLens(lens: Lens, set: number, channel: number): void {
    this.#lens = { lens, set, channel };
    this.invalidate();
  }

  setBlend(input: BlendInput): void {
    const { blend, from } = input.compiled;
    const indices = blend.channel_sets.map((id) => input.sets.findIndex((s) => s.id === id));
    const key = `${blend.structure}/${indices.join()}`;
    if (this.#blend?.key !== key) {
      this.#blend?.material.dispose();
      const material = blendMaterial(blend, indices, this.#shared);
      this.#blend = { key, material, compiled: blend };
      if (this.#textures) this.#hang(this.#textures);
    }
    this.#blend.compiled = blend;
    // A document edited since may have other layers than the program; then its numbers wait.
    const values = structureOf(input.document) === structureOf(from) ? input.document : from;
    bindUniforms(this.#blend.material, blend, values, this.surface.facts);
    this.#loadTextures(blend.slots, values, input.materials);
    this.invalidate(true);
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
    if (!this.#blend) return;
    this.#blend.material.uniforms["pack_surface"]!.value = textures.arrays.surface;
    this.#blend.material.uniforms["pack_detail"]!.value = textures.arrays.detail;
  }

  #currentMaterial(): RawShaderMaterial | null {
    const { lens, set, channel } = this.#lens;
    if (lens === "blend") return this.#textures ? (this.#blend?.material ?? null) : null;
    const key = `${lens}${set}`;
    let material = this.#flat.get(key);
    if (!material) {
      material = lens === "channel" ? channelMaterial(set, this.#shared) : setMaterial(set, this.#shared);
      this.#flat.set(key, material);
    }
    if (lens === "channel") {
      (material.uniforms["pick"]!.value as Vector4).set(
        +(channel === 0),
        +(channel === 1),
        +(channel === 2),
        +(channel === 3),
      );
    }
    return material;
  }

  // The view

  resize(width: number, height: number): void {
    this.#size.set(width, height);
    this.orbit.resize(width, height);
    this.invalidate();
  }

  frameAll(): void {
    this.orbit.frame(this.surface.geometry.attributes["position"]!.array);
    this.invalidate();
  }

  moveLight(dx: number, dy: number): void {
    const light = this.#shared.light.value;
    const turn = Math.atan2(light.x, light.z) + dx * 3;
    const tilt = Math.min(1.5, Math.max(-0.2, Math.asin(light.y) - dy * 3));
    light.set(Math.cos(tilt) * Math.sin(turn), Math.sin(tilt), Math.cos(tilt) * Math.cos(turn));
    this.invalidate(true);
  }

  hit(x: number, y: number): Hit | null {
    return this.picker.hit(
      new Vector2((x / this.#size.x) * 2 - 1, 1 - (y / this.#size.y) * 2),
      this.orbit.camera,
    );
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
    const material = this.#currentMaterial();
    if (!material) return;
    const detail = this.#moving ? this.#coarse : 1;
    const scale = this.resolution * detail * Math.min(devicePixelRatio, 2);
    const shape = `${scale}/${this.#size.x}/${this.#size.y}`;
    if (shape !== this.#shape) {
      this.#shape = shape;
      this.#renderer.setPixelRatio(scale);
      this.#renderer.setSize(this.#size.x, this.#size.y, false);
    }
    this.#mesh.material = material;
    this.#shared.eye.value.copy(this.orbit.camera.position);
    const began = performance.now();
    this.#renderer.render(this.#scene, this.orbit.camera);
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
    this.onDrawn(!again && !wasCoarse && this.#loading === "");
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
    this.#blend?.material.dispose();
    for (const material of this.#flat.values()) material.dispose();
    this.surface.geometry.dispose();
    this.#renderer.dispose();
  }
}
