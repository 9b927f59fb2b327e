/** A mesh to draw: its arrays, the sets on it, what of it is hidden. */

import { BufferAttribute, BufferGeometry, Mesh, type Matrix4, type Sphere } from "three";

import { Clusters, type Run } from "./clusters";
import type { SurfaceGeometry } from "./geometry";
import type { TerrainGround } from "./terrain/ground";
import type { SetSource, SetValues } from "./values";
import { Wires } from "./wires";

export interface GroupRun {
  name: string;
  first: number;
  triangles: number;
}

export class Scenery {
  readonly mesh: Mesh;
  readonly geometry: BufferGeometry;
  readonly facts: Record<string, number>;
  readonly extras: Uint32Array;
  /** What is drawn: the same places; the triangles perhaps in another order. */
  readonly #drawn = new BufferGeometry();
  #clusters: Clusters | null = null;
  /** All groups, and those that are shown. */
  #groups: Run[] = [];
  #shown: Run[] = [];
  readonly #onGround: boolean;
  #wires: Wires | null = null;

  /** sources: of all sets, by their number; only those on this mesh's vertices become attributes. */
  constructor(
    surface: SurfaceGeometry,
    readonly sources: (SetSource | null)[],
    ground: TerrainGround | null = null,
    /** The level of detail whose triangles these are. */
    readonly level = 0,
  ) {
    this.geometry = surface.geometry;
    this.facts = surface.facts;
    this.extras = surface.extras;
    sources.forEach((source, i) => {
      if (source?.kind === "vertex") {
        (source as SetValues).drawOn(this.geometry, `set${i}`, surface.extras);
      }
    });
    this.#onGround = ground !== null;
    this.#drawn.attributes = this.geometry.attributes;
    this.#drawn.setIndex(this.geometry.index);
    this.mesh = new Mesh(ground ? ground.chunks.geometry : this.#drawn);
    this.mesh.frustumCulled = false;
    this.show([], new Set());
  }

  /** Draw all groups but the hidden ones; each is a run that may have a material of its own. */
  show(groups: GroupRun[], hidden: ReadonlySet<string>): void {
    const runs = groups.map((g, i) => ({ start: 3 * g.first, count: 3 * g.triangles, materialIndex: i }));
    const whole = [{ start: 0, count: this.geometry.index!.count, materialIndex: 0 }];
    const alike = JSON.stringify(runs) === JSON.stringify(this.#groups);
    this.#groups = runs;
    this.#shown = runs.length ? runs.filter((_, i) => !hidden.has(groups[i]!.name)) : whole;
    this.#drawn.groups = this.#shown;
    if (this.#clusters && !alike) {
      this.#clusters = null;
      this.#drawn.setIndex(this.geometry.index);
    }
  }

  /** How many materials are asked for. */
  get materials(): number {
    return Math.max(1, this.#groups.length);
  }

  /**
   * Draw only what may be seen between two heights of the picture, −1 its foot and 1 its top.
   * matrix: from places to homogeneous coordinates of the picture; null: draw everything again.
   */
  confine(matrix: Matrix4 | null, low = -1, high = 1): void {
    // Terrain has squares of its own.
    if (this.#onGround) return;
    if (!matrix) {
      this.#drawn.groups = this.#shown;
      return;
    }
    if (!this.#clusters) {
      const whole = [{ start: 0, count: this.geometry.index!.count, materialIndex: 0 }];
      this.#clusters = new Clusters(this.geometry, this.#groups.length ? this.#groups : whole);
      // Picking and groups count triangles as they came; only what is drawn is in another order.
      this.#drawn.setIndex(new BufferAttribute(this.#clusters.index, 1));
    }
    this.#drawn.groups = this.#clusters.between(this.#shown, matrix, low, high);
  }

  /** What it lies in. */
  get bounds(): Sphere {
    if (!this.geometry.boundingSphere) this.geometry.computeBoundingSphere();
    return this.geometry.boundingSphere!;
  }

  /** Its edges, found when they are looked at first. */
  get wires(): Wires {
    this.#wires ??= new Wires(this.#onGround ? this.mesh.geometry : this.geometry);
    return this.#wires;
  }

  /** The height of its lowest place. */
  get lowest(): number {
    if (!this.geometry.boundingBox) this.geometry.computeBoundingBox();
    return this.geometry.boundingBox!.min.y;
  }

  /** How much of the sky the shape hides from every vertex, in 255ths. */
  set closed(values: Uint8Array) {
    // Bytes one after another are no vertex attribute that graphics cards like: each draw would spread them out anew.
    const wide = Float32Array.from(values, (value) => value / 255);
    this.geometry.setAttribute("closed", new BufferAttribute(wide, 1));
  }

  /** Lengths at every vertex, for a lens that shows them. */
  setLengths(name: "grain", values: Float32Array): void {
    this.geometry.setAttribute(name, new BufferAttribute(values, 1));
  }

  /** Sites, each drawn by a vertex; some by one more. */
  get sites(): number {
    return this.geometry.attributes["position"]!.count - this.extras.length;
  }

  dispose(): void {
    this.#wires?.dispose();
    this.geometry.dispose();
    this.#drawn.dispose();
  }
}

/** Chosen triangles of a mesh, drawn over it. */
export class Highlight {
  readonly mesh: Mesh;

  constructor(of: BufferGeometry, material: Mesh["material"]) {
    const geometry = new BufferGeometry();
    for (const name of ["position", "normal"]) geometry.setAttribute(name, of.attributes[name]!);
    geometry.setIndex(new BufferAttribute(new Uint32Array(0), 1));
    this.mesh = new Mesh(geometry, material);
    this.mesh.frustumCulled = false;
    this.mesh.visible = false;
  }

  choose(triangles: Iterable<number>, index: ArrayLike<number>): void {
    const corners: number[] = [];
    for (const t of triangles) corners.push(index[3 * t]!, index[3 * t + 1]!, index[3 * t + 2]!);
    this.mesh.geometry.setIndex(new BufferAttribute(new Uint32Array(corners), 1));
    this.mesh.visible = corners.length > 0;
  }

  dispose(): void {
    this.mesh.geometry.dispose();
  }
}
