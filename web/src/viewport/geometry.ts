/** The surface's arrays as the server sends them, and channel values beside them. */

import { BufferAttribute, BufferGeometry } from "three";

import type { Frame } from "../state/frames";

interface Entry {
  name: string;
  kind: "f4" | "u4";
  width: number;
  count: number;
  offset: number;
}

export interface SurfaceGeometry {
  geometry: BufferGeometry;
  sites: number;
  facts: Record<string, number>;
}

export function parseGeometry(data: ArrayBuffer): SurfaceGeometry {
  const length = new DataView(data).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as {
    arrays: Entry[];
    metres_per_uv: number;
  };
  const geometry = new BufferGeometry();
  let sites = 0;
  for (const entry of head.arrays) {
    const at = 4 + length + entry.offset;
    const size = entry.width * entry.count;
    if (entry.name === "triangles") {
      geometry.setIndex(new BufferAttribute(new Uint32Array(data, at, size), 1));
    } else {
      geometry.setAttribute(entry.name, new BufferAttribute(new Float32Array(data, at, size), entry.width));
      sites = entry.count;
    }
  }
  return { geometry, sites, facts: { metres_per_uv: head.metres_per_uv } };
}

/** Sites closer together than this go up in one piece. */
const MERGE = 256;
/** With more pieces than this, one upload of the whole span is quicker. */
const MOST_RANGES = 200;

/** Four channel values a site, uint16, as a vertex attribute. */
export class SetValues {
  readonly attribute: BufferAttribute;
  readonly #values: Uint16Array;

  constructor(sites: number) {
    this.#values = new Uint16Array(sites * 4);
    this.attribute = new BufferAttribute(this.#values, 4, true);
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
    if (frame.sites) this.#mark(frame.sites);
    else this.attribute.clearUpdateRanges();
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
