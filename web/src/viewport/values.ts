/** Channel values of the sets, wherever the shaders read them. */

import {
  BufferAttribute,
  DataTexture,
  NearestFilter,
  RGBAIntegerFormat,
  UnsignedShortType,
  type BufferGeometry,
} from "three";

import { SIDE, TILE, type Frame, type TileValues } from "../state/frames";
import type { ChannelSetView } from "../state/types";
import { RowMarks } from "./rowMarks";

/** Channel values of one set. */
export interface SetSource {
  readonly kind: "vertex" | "texel";
  apply(frame: Frame): void;
  dispose(): void;
}

/** Vertices closer together than this go up in one piece. */
const MERGE = 256;
/** With more pieces than this, one upload of the whole span is quicker. */
const MOST_RANGES = 200;

/** Write a tile's values for some channels, four to a number; `to` tells where a number stands. */
function write(into: Uint16Array, channels: number[], tile: TileValues, to: (place: number) => number): void {
  channels.forEach((channel, i) => {
    const from = tile.values[i]!;
    for (let k = 0; k < tile.count; k++) {
      into[4 * to(tile.places ? tile.places[k]! : k) + channel] = from[tile.alike ? 0 : k]!;
    }
  });
}

/** Vertices from the first to the last. */
type Span = [number, number];

/** Add a span behind others, to the last of them where it is near. */
function lengthen(spans: Span[], first: number, last: number): void {
  const end = spans.at(-1);
  if (end && first <= end[1] + MERGE) end[1] = Math.max(end[1], last);
  else spans.push([first, last]);
}

/** Four channel values a site, uint16, as a vertex attribute. Some sites are drawn by two vertices. */
export class SetValues implements SetSource {
  readonly kind = "vertex";
  #values: Uint16Array;
  #attribute: BufferAttribute;
  #again = new Map<number, number[]>();
  #all = true;

  constructor(private readonly sites: number) {
    this.#values = new Uint16Array(sites * 4);
    this.#attribute = this.#made();
  }

  #made(): BufferAttribute {
    const attribute = new BufferAttribute(this.#values, 4, true);
    attribute.onUpload(() => (this.#all = false));
    return attribute;
  }

  /** Be an attribute of a geometry that draws some sites once more. */
  drawOn(geometry: BufferGeometry, name: string, extras: Uint32Array): void {
    if (this.#values.length !== 4 * (this.sites + extras.length)) {
      const wider = new Uint16Array(4 * (this.sites + extras.length));
      wider.set(this.#values.subarray(0, 4 * this.sites));
      this.#values = wider;
      this.#again.clear();
      extras.forEach((site, i) => {
        this.#again.set(site, [...(this.#again.get(site) ?? []), this.sites + i]);
        wider.set(wider.subarray(4 * site, 4 * site + 4), 4 * (this.sites + i));
      });
      this.#attribute = this.#made();
      this.#all = true;
    }
    geometry.setAttribute(name, this.#attribute);
  }

  apply(frame: Frame): void {
    const spans: Span[] = [];
    for (const tile of frame.tiles) {
      const base = tile.tile * TILE;
      write(this.#values, frame.channels, tile, (place) => base + place);
      if (tile.places) for (const place of tile.places) lengthen(spans, base + place, base + place);
      else lengthen(spans, base, base + tile.count - 1);
    }
    for (const [site, vertices] of this.#again) {
      for (const vertex of vertices) this.#values.copyWithin(4 * vertex, 4 * site, 4 * site + 4);
    }
    if (this.#again.size && spans.length) lengthen(spans, this.sites, this.#values.length / 4 - 1);
    // Frames may come faster than pictures: what is not uploaded yet must stay marked.
    if (this.#all) this.#attribute.clearUpdateRanges();
    else {
      const few = spans.length > MOST_RANGES ? [[spans[0]![0], spans.at(-1)![1]] as Span] : spans;
      for (const [a, b] of few) this.#attribute.addUpdateRange(4 * a, 4 * (b - a + 1));
    }
    this.#attribute.needsUpdate = true;
  }

  dispose(): void {
    // The attribute goes with the geometry that it is on.
  }
}

/** Where a set's texels lie over its map: `shift` columns and rows from the edge, 0.5 where they are cells. */
export interface TexelGrid {
  cols: number;
  rows: number;
  shift: number;
  /** The vertex attribute that leads over the map. */
  uv: string;
}

/** Four channel values a texel, uint16, as a texture of whole numbers: the shader filters them itself. */
export class TexelValues implements SetSource {
  readonly kind = "texel";
  readonly texture: DataTexture;
  readonly #data: Uint16Array;
  readonly #marks: RowMarks;
  /** Columns of the texture: whole squares. */
  readonly #width: number;

  constructor(readonly grid: TexelGrid) {
    const whole = (count: number) => SIDE * Math.ceil(count / SIDE);
    const [width, height] = [whole(grid.cols), whole(grid.rows)];
    this.#width = width;
    this.#data = new Uint16Array(width * height * 4);
    this.texture = new DataTexture(this.#data, width, height, RGBAIntegerFormat, UnsignedShortType);
    this.texture.internalFormat = "RGBA16UI";
    this.texture.magFilter = this.texture.minFilter = NearestFilter;
    this.texture.unpackAlignment = 1;
    this.texture.needsUpdate = true;
    this.#marks = new RowMarks(this.texture, width, height, 4);
  }

  apply(frame: Frame): void {
    for (const tile of frame.tiles) {
      const left = (tile.tile % frame.across) * SIDE;
      const first = Math.floor(tile.tile / frame.across) * SIDE;
      write(this.#data, frame.channels, tile, (p) => (first + (p >> 8)) * this.#width + left + (p & 255));
      if (tile.places) for (const p of tile.places) this.#marks.mark(first + (p >> 8), left + (p & 255), 1);
      else for (let row = first; row < first + SIDE; row++) this.#marks.mark(row, left, SIDE);
    }
    this.#marks.upload();
  }

  dispose(): void {
    this.texture.dispose();
  }
}

/** The texels of a set that lies on some; null for one on vertices. */
export function gridOf({ sites }: ChannelSetView): TexelGrid | null {
  switch (sites.kind) {
    case "texels": {
      const size = sites.size ?? 1024;
      return { cols: size, rows: size, shift: 0.5, uv: `uv${sites.uv || ""}` };
    }
    case "cells":
      return { cols: sites.cols ?? 1024, rows: sites.rows ?? 1024, shift: 0.5, uv: "uv" };
    case "corners":
      return { cols: sites.cols, rows: sites.rows, shift: 0, uv: "uv" };
    default:
      return null;
  }
}

/** A place for the values of each set, on vertices or over the map. */
export function sourcesFor(sets: ChannelSetView[], vertices: (level: number) => number): SetSource[] {
  return sets.map((set) => {
    const grid = gridOf(set);
    if (grid) return new TexelValues(grid);
    return new SetValues(vertices(set.sites.kind === "vertices" ? (set.sites.level ?? 0) : 0));
  });
}
