import { describe, expect, it } from "vitest";

import { evenLength } from "../src/ui/quantity";
import { edgesOf } from "../src/viewport/wires";
import { randomOf } from "./random";

describe("edges of triangles", () => {
  it("are each there once, whichever way around they are met", () => {
    // Two triangles that share the edge from 1 to 2.
    const found = edgesOf([0, 1, 2, 2, 1, 3], 4);
    const pairs = Array.from({ length: found.length / 2 }, (_, i) => `${found[2 * i]}-${found[2 * i + 1]}`);
    expect(pairs.sort()).toEqual(["0-1", "0-2", "1-2", "1-3", "2-3"]);
  });

  it("of a closed grid are three for every two triangles (Euler)", () => {
    for (const n of [3, 5, 8]) {
      const at = (x: number, y: number) => (y % n) * n + (x % n);
      const index: number[] = [];
      for (let y = 0; y < n; y++)
        for (let x = 0; x < n; x++)
          index.push(at(x, y), at(x + 1, y), at(x, y + 1), at(x + 1, y), at(x + 1, y + 1), at(x, y + 1));
      expect(edgesOf(index, n * n).length / 2).toBe((3 * index.length) / 6);
    }
  });
});

describe("lengths a power of ten apart", () => {
  it("are the nearest there is by its logarithm", () => {
    const random = randomOf(3);
    for (let i = 0; i < 200; i++) {
      const metres = 10 ** (8 * random() - 4);
      const found = evenLength(metres);
      expect(Math.log10(found) % 1).toBeCloseTo(0, 9);
      expect(Math.abs(Math.log10(found / metres))).toBeLessThanOrEqual(0.5 + 1e-9);
    }
    expect(evenLength(0)).toBeGreaterThan(0);
  });
});
