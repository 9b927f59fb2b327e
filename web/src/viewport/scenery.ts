/** A mesh to draw: its arrays, the sets on it, what of it is hidden. */

import { BufferAttribute, BufferGeometry, Mesh } from "three";

import type { SurfaceGeometry } from "./geometry";
import type { TerrainGround } from "./terrain/ground";
import type { SetSource, SetValues } from "./values";

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

  /** sources: of all sets, by their number; only those on this mesh's vertices become attributes. */
  constructor(
    surface: SurfaceGeometry,
    readonly sources: (SetSource | null)[],
    ground: TerrainGround | null = null,
  ) {
    this.geometry = surface.geometry;
    this.facts = surface.facts;
    this.extras = surface.extras;
    sources.forEach((source, i) => {
      if (source?.kind === "vertex") {
        (source as SetValues).drawOn(this.geometry, `set${i}`, surface.extras);
      }
    });
    this.mesh = new Mesh(ground ? ground.chunks.geometry : this.geometry);
    this.mesh.frustumCulled = false;
    this.show([], new Set());
  }

  /** Draw all groups but the hidden ones; each is a run that may have a material of its own. */
  show(groups: GroupRun[], hidden: ReadonlySet<string>): void {
    this.geometry.clearGroups();
    if (groups.length === 0) {
      this.geometry.addGroup(0, this.geometry.index!.count, 0);
      return;
    }
    groups.forEach((group, i) => {
      if (!hidden.has(group.name)) this.geometry.addGroup(3 * group.first, 3 * group.triangles, i);
    });
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
    this.geometry.dispose();
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
