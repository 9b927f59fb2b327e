/** The surface's arrays as the server sends them, and channel values beside them. */

import { BufferAttribute, BufferGeometry, DataTexture, LinearFilter } from "three";

import { decodeFrame, type Frame } from "../state/frames";

interface Entry {
  name: string;
  kind: "f4" | "u4";
  width: number;
  count: number;
  offset: number;
}

export interface SurfaceGeometry {
  geometry: BufferGeometry;
  facts: Record<string, number>;
}

interface Head {
  arrays: Entry[];
  [fact: string]: unknown;
}

/** Our own way to send arrays: a JSON head behind its length, then the arrays. */
function readHead(data: ArrayBuffer): { head: Head; from: number } {
  const length = new DataView(data).getUint32(0, true);
  return {
    head: JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as Head,
    from: 4 + length,
  };
}

export function parseGeometry(data: ArrayBuffer): SurfaceGeometry {
  const { head, from } = readHead(data);
  const geometry = new BufferGeometry();
  for (const entry of head.arrays) {
    const at = from + entry.offset;
    const size = entry.width * entry.count;
    if (entry.name === "triangles") {
      geometry.setIndex(new BufferAttribute(new Uint32Array(data, at, size), 1));
    } else {
      geometry.setAttribute(entry.name, new BufferAttribute(new Float32Array(data, at, size), entry.width));
    }
  }
  return { geometry, facts: { metres_per_uv: head["metres_per_uv"] as number } };
}

/** Which texels show each site of a set on a map: those of site i are texels[starts[i]..starts[i+1]]. */
export interface TexelTables {
  size: number;
  starts: Uint32Array;
  texels: Uint32Array;
}

export function parseTexels(data: ArrayBuffer): TexelTables {
  const { head, from } = readHead(data);
  const array = (name: string) => {
    const entry = head.arrays.find((e) => e.name === name)!;
    return new Uint32Array(data, from + entry.offset, entry.count);
  };
  return { size: head["size"] as number, starts: array("starts"), texels: array("texels") };
}

/** Frames one after another, each behind its length. */
export function splitFrames(data: ArrayBuffer): Frame[] {
  const out: Frame[] = [];
  for (let at = 0; at < data.byteLength;) {
    const length = new DataView(data).getUint32(at, true);
    out.push(decodeFrame(data.slice(at + 4, at + 4 + length)));
    at += 4 + length;
  }
  return out;
}

/** Channel values of one set, wherever the shaders read them. */
export interface SetSource {
  readonly kind: "vertex" | "texel";
  apply(frame: Frame): void;
}

/** Sites closer together than this go up in one piece. */
const MERGE = 256;
/** With more pieces than this, one upload of the whole span is quicker. */
const MOST_RANGES = 200;

/** Four channel values a site, uint16, as a vertex attribute. */
export class SetValues implements SetSource {
  readonly kind = "vertex";
  readonly attribute: BufferAttribute;
  readonly #values: Uint16Array;
  #all = true;

  constructor(sites: number) {
    this.#values = new Uint16Array(sites * 4);
    this.attribute = new BufferAttribute(this.#values, 4, true);
    this.attribute.onUpload(() => (this.#all = false));
  }

  apply(frame: Frame): void {
    frame.channels.forEach((channel, i) => {
      const from = frame.values[i]!;
      if (frame.sites) {
        for (let k = 0; k < frame.count; k++) this.#values[4 * frame.sites[k]! + channel] = from[k]!;
      } else {
        for (let k = 0; k < frame.count; k++) this.#values[4 * k + channel] = from[k]!;
      }
    });
    // Frames may come faster than pictures: what is not uploaded yet must stay marked.
    if (!frame.sites) this.#all = true;
    if (this.#all) this.attribute.clearUpdateRanges();
    else if (frame.sites) this.#mark(frame.sites);
    this.attribute.needsUpdate = true;
  }

  #mark(sites: Uint32Array): void {
    if (!sites.length) return;
    const ranges: [number, number][] = [];
    let start = sites[0]!;
    let last = start;
    for (const site of sites) {
      if (site > last + MERGE) {
        ranges.push([start, last]);
        start = site;
      }
      last = site;
    }
    ranges.push([start, last]);
    const pieces = ranges.length > MOST_RANGES ? [[sites[0]!, last] as [number, number]] : ranges;
    for (const [a, b] of pieces) this.attribute.addUpdateRange(4 * a, 4 * (b - a + 1));
  }
}

/** Four channel values a texel, uint8, as a texture; padding beside the map shows its neighbour's. */
export class TexelValues implements SetSource {
  readonly kind = "texel";
  readonly texture: DataTexture;
  readonly #data: Uint8Array;
  /** Columns of each row that changed since the last upload: from low to before high. */
  readonly #low: Uint32Array;
  readonly #high: Uint32Array;
  #all = true;
  #tables: TexelTables | null = null;
  #early: Frame[] = [];

  constructor(private readonly size: number) {
    this.#data = new Uint8Array(size * size * 4);
    this.texture = new DataTexture(this.#data, size, size);
    this.#low = new Uint32Array(size).fill(size);
    this.#high = new Uint32Array(size);
    this.texture.onUpdate = () => {
      this.#low.fill(size);
      this.#high.fill(0);
      this.#all = false;
    };
    this.texture.magFilter = this.texture.minFilter = LinearFilter;
    this.texture.needsUpdate = true;
  }

  /** From now on frames can be placed; those that came before are. */
  place(tables: TexelTables): void {
    this.#tables = tables;
    for (const frame of this.#early.splice(0)) this.apply(frame);
  }

  get ready(): boolean {
    return this.#tables !== null;
  }

  apply(frame: Frame): void {
    const tables = this.#tables;
    if (!tables) {
      this.#early.push(frame);
      return;
    }
    const { starts, texels } = tables;
    const [low, high] = [this.#low, this.#high];
    for (let k = 0; k < frame.count; k++) {
      const site = frame.sites ? frame.sites[k]! : k;
      for (let t = starts[site]!; t < starts[site + 1]!; t++) {
        const texel = texels[t]!;
        frame.channels.forEach((channel, i) => {
          this.#data[4 * texel + channel] = (frame.values[i]![k]! + 128) / 257;
        });
        const row = Math.floor(texel / this.size);
        const column = texel - row * this.size;
        if (column < low[row]!) low[row] = column;
        if (column >= high[row]!) high[row] = column + 1;
      }
    }
    if (!frame.sites) this.#all = true;
    this.texture.clearUpdateRanges();
    if (!this.#all) {
      for (let row = 0; row < this.size; row++) {
        if (low[row]! < high[row]!) {
          this.texture.addUpdateRange(4 * (row * this.size + low[row]!), 4 * (high[row]! - low[row]!));
        }
      }
    }
    this.texture.needsUpdate = true;
  }

  dispose(): void {
    this.texture.dispose();
  }
}
