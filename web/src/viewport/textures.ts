/** The texture arrays of a blend: one layer for each material, and for each picture that masks are made from. */

import {
  DataArrayTexture,
  LinearFilter,
  LinearMipmapLinearFilter,
  LinearSRGBColorSpace,
  RepeatWrapping,
  RedFormat,
  RGBAFormat,
  SRGBColorSpace,
  UnsignedByteType,
} from "three";

import { bytes, packPath, picturesTexels } from "../state/server";
import type { MaterialView } from "../state/types";

const PACKS = ["surface", "detail"] as const;
type Pack = (typeof PACKS)[number];

/** What the slots of a program hold: materials, and ids of pictures. */
export interface Wanted {
  materials: MaterialView[];
  pictures: string[];
}

/** What has been asked for; it never changes under its path. */
const fetched = new Map<string, Promise<ArrayBuffer>>();

const pack = (material: MaterialView, name: Pack, size: number): Promise<ArrayBuffer> =>
  kept(packPath(material.id, name, size, material.revision));

function kept(path: string): Promise<ArrayBuffer> {
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
  readonly arrays: Record<Pack | "picture", DataArrayTexture | null>;
  readonly key: string;

  private constructor(key: string, arrays: Textures["arrays"]) {
    this.key = key;
    this.arrays = arrays;
  }

  static keyFor({ materials, pictures }: Wanted): string {
    return [...materials.map((m) => `${m.id}@${m.revision}`), "", ...pictures].join(",");
  }

  /** Fetch the packs of all materials, brought to the largest of their sizes, and the pictures. */
  static async load(wanted: Wanted, anisotropy: number): Promise<Textures> {
    const { materials, pictures } = wanted;
    const [surface, detail, picture] = await Promise.all([
      ...PACKS.map((name) => packed(name, materials, anisotropy)),
      stacked(pictures, anisotropy),
    ]);
    return new Textures(Textures.keyFor(wanted), {
      surface: surface!,
      detail: detail!,
      picture: picture!,
    });
  }

  /** How sharply they are read at a slant. (Sent to the card once more: this changes seldom.) */
  sharpen(anisotropy: number): void {
    for (const texture of Object.values(this.arrays)) {
      if (!texture || texture.anisotropy === anisotropy) continue;
      texture.anisotropy = anisotropy;
      texture.needsUpdate = true;
    }
  }

  dispose(): void {
    for (const texture of Object.values(this.arrays)) texture?.dispose();
  }
}

async function packed(
  name: Pack,
  materials: MaterialView[],
  anisotropy: number,
): Promise<DataArrayTexture | null> {
  if (materials.length === 0) return null;
  const size = sizeFor(materials);
  const layers = await Promise.all(materials.map((m) => pack(m, name, size)));
  const made = array(layers, size, anisotropy);
  made.colorSpace = name === "surface" ? SRGBColorSpace : LinearSRGBColorSpace;
  return made;
}

async function stacked(pictures: string[], anisotropy: number): Promise<DataArrayTexture | null> {
  if (pictures.length === 0) return null;
  const layers = await Promise.all(pictures.map((picture) => kept(picturesTexels(picture))));
  const made = array(layers, Math.sqrt(layers[0]!.byteLength), anisotropy, RedFormat);
  made.colorSpace = LinearSRGBColorSpace;
  return made;
}

function array(
  layers: ArrayBuffer[],
  size: number,
  anisotropy: number,
  format: typeof RGBAFormat | typeof RedFormat = RGBAFormat,
): DataArrayTexture {
  const each = layers[0]!.byteLength;
  const data = new Uint8Array(each * layers.length);
  layers.forEach((layer, i) => data.set(new Uint8Array(layer), i * each));
  const texture = new DataArrayTexture(data, size, size, layers.length);
  texture.format = format;
  texture.type = UnsignedByteType;
  texture.wrapS = texture.wrapT = RepeatWrapping;
  texture.magFilter = LinearFilter;
  texture.minFilter = LinearMipmapLinearFilter;
  texture.generateMipmaps = true;
  texture.anisotropy = anisotropy;
  texture.needsUpdate = true;
  return texture;
}
