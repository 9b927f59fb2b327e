/** The surface's arrays as the server sends them. */

import { BufferAttribute, BufferGeometry, Vector3 } from "three";

import { parseArrays } from "../state/arrays";

/** facts: what uniforms are made from; positions are counted from the origin among them. */
export interface SurfaceGeometry {
  geometry: BufferGeometry;
  facts: Record<string, number>;
  /** Sites that are drawn once more, by vertices behind those of the sites. */
  extras: Uint32Array;
  /** Of a terrain, whose heights come apart. */
  terrain: TerrainHead | null;
}

/** A terrain's grid, how its heights lie in GLSL, and the coarse mesh over it that places are named by. */
export interface TerrainHead {
  rows: number;
  cols: number;
  spacing: number;
  frame_rows: number;
  frame_cols: number;
  glsl: string;
}

interface Head {
  facts: Record<string, number>;
  terrain?: TerrainHead;
}

export const originOf = (facts: Record<string, number>) =>
  new Vector3(facts["origin_x"], facts["origin_y"], facts["origin_z"]);

export function parseGeometry(data: ArrayBuffer): SurfaceGeometry {
  const { head, at: begins } = parseArrays<Head>(data);
  const geometry = new BufferGeometry();
  let extras = new Uint32Array(0);
  for (const [number, entry] of head.arrays.entries()) {
    const at = begins(number);
    const size = entry.width * entry.count;
    if (entry.name === "triangles") {
      geometry.setIndex(new BufferAttribute(new Uint32Array(data, at, size), 1));
    } else if (entry.name === "extras") extras = new Uint32Array(data, at, size);
    else
      geometry.setAttribute(entry.name, new BufferAttribute(new Float32Array(data, at, size), entry.width));
  }
  return { geometry, facts: head.facts, extras, terrain: head.terrain ?? null };
}

/** The same surface with its positions counted from another origin, so that two lie in one scene. */
export function countedFrom(surface: SurfaceGeometry, origin: Vector3): SurfaceGeometry {
  const apart = originOf(surface.facts).sub(origin);
  if (apart.lengthSq() === 0) return surface;
  const positions = surface.geometry.attributes["position"]!.array as Float32Array;
  const by = apart.toArray();
  for (let i = 0; i < positions.length; i++) positions[i]! += by[i % 3]!;
  const facts = { ...surface.facts, origin_x: origin.x, origin_y: origin.y, origin_z: origin.z };
  return { ...surface, facts };
}

/** Numbers of one array that came alone behind a head. */
export function parseHeights(data: ArrayBuffer): Float32Array {
  const length = new DataView(data).getUint32(0, true);
  return new Float32Array(data, 4 + length);
}
