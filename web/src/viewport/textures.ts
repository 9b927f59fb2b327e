/** The two texture arrays of a blend: one layer for each material use. */

import {
  DataArrayTexture,
  LinearFilter,
  LinearMipmapLinearFilter,
  LinearSRGBColorSpace,
  RepeatWrapping,
  RGBAFormat,
  SRGBColorSpace,
  UnsignedByteType,
} from "three";

import { bytes, packPath } from "../state/server";
import type { MaterialView } from "../state/types";

const PACKS = ["surface", "detail"] as const;
type Pack = (typeof PACKS)[number];

/** Packs that have been asked for; they never change under their path. */
const fetched = new Map<string, Promise<ArrayBuffer>>();

function pack(material: MaterialView, name: Pack, size: number): Promise<ArrayBuffer> {
  const path = packPath(material.id, name, size, material.revision);
  let data = fetched.get(path);
  if (!data) {
    data = bytes(path);
    fetched.set(path, data);
    data.catch(() => fetched.delete(path));
  }
  return data;
}

const sizeFor = (materials: MaterialView[]) => Math.max(...materials.map((m) => m.size));

/** Begin fetching what a blend of these materials will want. */
export function fetchAhead(materials: MaterialView[]): void {
  for (const material of materials) for (const name of PACKS) void pack(material, name, sizeFor(materials));
}

export class Textures {
  readonly arrays: Record<Pack, DataArrayTexture>;
  readonly key: string;

  private constructor(key: string, arrays: Record<Pack, DataArrayTexture>) {
    this.key = key;
    this.arrays = arrays;
  }

  static keyFor(materials: MaterialView[]): string {
    return materials.map((m) => `${m.id}@${m.revision}`).join(",");
  }

  /** Fetch the packs of all materials, brought to the largest of their sizes. */
  static async load(materials: MaterialView[], anisotropy: number): Promise<Textures> {
    const made = await Promise.all(PACKS.map((name) => Textures.#array(name, materials, anisotropy)));
    return new Textures(Textures.keyFor(materials), { surface: made[0]!, detail: made[1]! });
  }

  static async #array(name: Pack, materials: MaterialView[], anisotropy: number): Promise<DataArrayTexture> {
    const size = sizeFor(materials);
    const layers = await Promise.all(materials.map((m) => pack(m, name, size)));
    const data = new Uint8Array(size * size * 4 * layers.length);
    layers.forEach((layer, i) => data.set(new Uint8Array(layer), i * size * size * 4));
    const texture = new DataArrayTexture(data, size, size, layers.length);
    texture.format = RGBAFormat;
    texture.type = UnsignedByteType;
    texture.colorSpace = name === "surface" ? SRGBColorSpace : LinearSRGBColorSpace;
    texture.wrapS = texture.wrapT = RepeatWrapping;
    texture.magFilter = LinearFilter;
    texture.minFilter = LinearMipmapLinearFilter;
    texture.generateMipmaps = true;
    texture.anisotropy = anisotropy;
    texture.needsUpdate = true;
    return texture;
  }

  dispose(): void {
    for (const pack of PACKS) this.arrays[pack].dispose();
  }
}
