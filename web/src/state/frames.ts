/** Binary frames with channel values, tile by tile; the layout is described in the server's frames module. */

const MAGIC = 0x32464241;
const HEIGHTS = 0x48464241;
const HEADER = 6;
/** Numbers in a tile. */
export const TILE = 1 << 16;
/** Edge of a square of texels, which is a tile of a map. */
export const SIDE = 256;

const SOME = 0;
const LEVEL = 2;

/** Values of one tile. */
export interface TileValues {
  tile: number;
  /** Numbers that are told of: all from the tile's begin on, unless places says which. */
  count: number;
  places: Uint16Array | null;
  /** For each channel of the frame its values, numbers side by side; one for all where they are alike. */
  values: Uint16Array[];
  alike: boolean;
}

export interface Frame {
  /** Number of the channel set on the surface. */
  set: number;
  /** Which channels the values are for, in order. */
  channels: number[];
  /** What a value is: the code of its kind, 0 for weights, and how many numbers it has. */
  kind: number;
  width: number;
  /** Squares in a row of the map; 0 for runs of vertices. */
  across: number;
  tiles: TileValues[];
}

const padded = (length: number) => (length + 3) & ~3;

export function decodeFrame(data: ArrayBuffer): Frame {
  const head = new Uint32Array(data, 0, HEADER);
  if (head[0] !== MAGIC) throw new Error("not a channel frame");
  const [, set, bits, across, count, of] = head as unknown as [
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  const width = (of & 0xffff) + 1;
  const channels = [0, 1, 2, 3].filter((channel) => bits & (1 << channel));
  const tiles: TileValues[] = [];
  let at = 4 * HEADER;
  for (let i = 0; i < count; i++) {
    const [tile, word] = new Uint32Array(data, at, 2) as unknown as [number, number];
    const kind = word >>> 24;
    const numbers = word & 0x1ffff;
    const each = kind === LEVEL ? 1 : numbers;
    let from = at + 8;
    let places: Uint16Array | null = null;
    if (kind === SOME) {
      places = new Uint16Array(data, from, numbers);
      from += 2 * numbers;
    }
    const values = channels.map((_, k) => new Uint16Array(data, from + 2 * width * each * k, width * each));
    tiles.push({ tile, count: numbers, places, values, alike: kind === LEVEL });
    at += 8 + padded(2 * width * each * channels.length + (places ? 2 * numbers : 0));
  }
  return { set, channels, kind: of >>> 16, width, across, tiles };
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

/** Part of a terrain's heights, in metres, row by row. */
export interface HeightsPart {
  left: number;
  top: number;
  cols: number;
  rows: number;
  heights: Float32Array;
}

/** What is told of heights; null for a frame of channel values. */
export function decodeHeights(data: ArrayBuffer): HeightsPart | null {
  const head = new Uint32Array(data, 0, 5);
  if (head[0] !== HEIGHTS) return null;
  const [, left, top, cols, rows] = head as unknown as [number, number, number, number, number];
  return { left, top, cols, rows, heights: new Float32Array(data, 20, cols * rows) };
}
