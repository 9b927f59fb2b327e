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
    const size = Math.max(...materials.map((m) => m.size));
    const made = await Promise.all(PACKS.map((pack) => Textures.#array(pack, materials, size, anisotropy)));
    return new Textures(Textures.keyFor(materials), { surface: made[0]!, detail: made[1]! });
  }

  static async #array(
    pack: Pack,
    materials: MaterialView[],
    size: number,
    anisotropy: number,
  ): Promise<DataArrayTexture> {
    const layers = await Promise.all(materials.map((m) => bytes(packPath(m.id, pack, size, m.revision))));
    const data = new Uint8Array(size * size * 4 * layers.length);
    layers.forEach((layer, i) => data.set(new Uint8Array(layer), i * size * size * 4));
    const texture = new DataArrayTexture(data, size, size, layers.length);
    texture.format = RGBAFormat;
    texture.type = UnsignedByteType;
    texture.colorSpace = pack === "surface" ? SRGBColorSpace : LinearSRGBColorSpace;
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
