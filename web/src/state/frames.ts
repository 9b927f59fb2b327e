/** Binary frames with channel values; the layout is described in the server's frames module. */

const MAGIC = 0x31464241;
const HEADER = 6;

export interface Frame {
  /** Number of the channel set on the surface. */
  set: number;
  /** Which channels the values are for, in order. */
  channels: number[];
  /** Ascending; null when the values are for all sites. */
  sites: Uint32Array | null;
  count: number;
  values: Uint16Array[];
}

export function decodeFrame(data: ArrayBuffer): Frame {
  const head = new Uint32Array(data, 0, HEADER);
  if (head[0] !== MAGIC) throw new Error("not a channel frame");
  const [, kind, set, bits, count] = head as unknown as [number, number, number, number, number];
  const channels = [0, 1, 2, 3].filter((channel) => bits & (1 << channel));
  let at = 4 * HEADER;
  let sites: Uint32Array | null = null;
  if (kind === 0) {
    sites = new Uint32Array(data, at, count);
    at += 4 * count;
  }
  const values = channels.map((_, i) => new Uint16Array(data, at + 2 * count * i, count));
  return { set, channels, sites, count, values };
}
