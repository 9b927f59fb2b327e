/** Frames as the server's frames module describes them, written here by that description and read by the page. */

import { describe, expect, it } from "vitest";

import { decodeFrame, decodeHeights, splitFrames } from "../src/state/frames";
import { randomOf, whole } from "./random";

interface Entry {
  tile: number;
  kind: 0 | 1 | 2;
  count: number;
  places: number[];
  /** For each channel. */
  values: number[][];
}

function frameOf(
  set: number,
  bits: number,
  across: number,
  entries: Entry[],
  value: { kind: number; width: number },
): ArrayBuffer {
  const bytes: number[] = [];
  const u32 = (v: number) => bytes.push(v & 255, (v >>> 8) & 255, (v >>> 16) & 255, (v >>> 24) & 255);
  const u16 = (v: number) => bytes.push(v & 255, v >>> 8);
  [0x32464241, set, bits, across, entries.length, (value.kind << 16) | (value.width - 1)].forEach(u32);
  for (const { tile, kind, count, places, values } of entries) {
    u32(tile);
    u32((kind << 24) | count);
    [...(kind === 0 ? places : []), ...values.flat()].forEach(u16);
    while (bytes.length % 4) bytes.push(0);
  }
  return new Uint8Array(bytes).buffer;
}

function entries(seed: number, channels: number, width: number): Entry[] {
  const random = randomOf(seed);
  return Array.from({ length: 1 + whole(random, 4) }, (_, i) => {
    const kind = whole(random, 3) as Entry["kind"];
    const count = 1 + whole(random, 40);
    const each = (kind === 2 ? 1 : count) * width;
    const numbers = (n: number) => Array.from({ length: n }, () => whole(random, 65536));
    return {
      tile: i * 3,
      kind,
      count,
      places: numbers(count),
      values: Array.from({ length: channels }, () => numbers(each)),
    };
  });
}

describe("channel frames", () => {
  it.each(Array.from({ length: 40 }, (_, seed) => seed))("come out as they went in (%i)", (seed) => {
    const channels = [[0], [1, 3], [0, 1, 2, 3]][seed % 3]!;
    const width = 1 + (seed % 4);
    const bits = channels.reduce((all, c) => all | (1 << c), 0);
    const put = entries(seed, channels.length, width);
    const frame = decodeFrame(frameOf(seed, bits, seed % 2 ? 8 : 0, put, { kind: width - 1, width }));
    expect([frame.set, frame.channels, frame.across]).toEqual([seed, channels, seed % 2 ? 8 : 0]);
    expect([frame.kind, frame.width]).toEqual([width - 1, width]);
    expect(frame.tiles.length).toBe(put.length);
    frame.tiles.forEach((tile, i) => {
      const { kind, count, places, values } = put[i]!;
      expect([tile.tile, tile.count, tile.alike]).toEqual([put[i]!.tile, count, kind === 2]);
      expect(tile.places && [...tile.places]).toEqual(kind === 0 ? places : null);
      expect(tile.values.map((v) => [...v])).toEqual(values);
    });
  });

  it("are told apart from other bytes, and from each other", () => {
    expect(() => decodeFrame(new Uint32Array(6).buffer)).toThrow("not a channel frame");
    const one = frameOf(1, 1, 0, entries(5, 1, 1), { kind: 0, width: 1 });
    const two = frameOf(2, 2, 0, entries(6, 1, 1), { kind: 0, width: 1 });
    const both = new Uint8Array(8 + one.byteLength + two.byteLength);
    new DataView(both.buffer).setUint32(0, one.byteLength, true);
    both.set(new Uint8Array(one), 4);
    new DataView(both.buffer).setUint32(4 + one.byteLength, two.byteLength, true);
    both.set(new Uint8Array(two), 8 + one.byteLength);
    expect(splitFrames(both.buffer).map((f) => f.set)).toEqual([1, 2]);
  });
});

it("reads a part of the heights, and takes nothing else for it", () => {
  const part = new DataView(new ArrayBuffer(20 + 4 * 6));
  [0x48464241, 7, 9, 3, 2].forEach((v, i) => part.setUint32(4 * i, v, true));
  [0, 1.5, -2, 3, 4, 5e3].forEach((v, i) => part.setFloat32(20 + 4 * i, v, true));
  const found = decodeHeights(part.buffer)!;
  expect([found.left, found.top, found.cols, found.rows]).toEqual([7, 9, 3, 2]);
  expect([...found.heights]).toEqual([0, 1.5, -2, 3, 4, 5e3]);
  expect(decodeHeights(frameOf(1, 1, 0, [], { kind: 0, width: 1 }))).toBeNull();
});
