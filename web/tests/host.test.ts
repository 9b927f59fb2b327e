import { describe, expect, it } from "vitest";

import { atPath, sameButForNumbers, worth, type Expression } from "../src/state/host";
import type { BlendDocument, CompiledBlend } from "../src/state/types";

const DOCUMENT = { layers: [{ opacity: 0.25, name: "A", mapping: { rotation: 30 } }, { opacity: 4 }] };
const as = (document: unknown) => document as BlendDocument;
const compiled = (pointers: string[], alike: string[][] = []) =>
  ({
    uniforms: pointers.map((pointer) => ({ name: pointer, values: [["multiply", 2, ["pointer", pointer]]] })),
    alike,
  }) as unknown as CompiledBlend;

describe("expressions of the host", () => {
  // What core.tree.host says of each, worked out by hand.
  it.each<[Expression, number]>([
    [3.5, 3.5],
    [["pointer", "/layers/1/opacity"], 4],
    [["fact", "origin_x"], -7],
    [["add", ["pointer", "/layers/0/opacity"], 1], 1.25],
    [["subtract", 1, ["fact", "origin_x"]], 8],
    [["divide", ["multiply", 3, 4], 8], 1.5],
    [["floor", -1.5], -2],
    [["fract", -1.25], 0.75],
    [["cosine", 60], 0.5],
    [["sine", ["pointer", "/layers/0/mapping/rotation"]], 0.5],
  ])("%j", (expression, wanted) => {
    expect(worth(expression, as(DOCUMENT), { origin_x: -7 })).toBeCloseTo(wanted, 12);
  });

  it("leads through a document, and nowhere where nothing is", () => {
    expect(atPath(DOCUMENT, "/layers/0/name")).toBe("A");
    expect(atPath(DOCUMENT, "")).toBe(DOCUMENT);
    expect(() => atPath(DOCUMENT, "/layers/7/name")).toThrow();
  });
});

describe("whether a shader will do", () => {
  const shader = compiled(["/layers/0/opacity", "/layers/0/mapping/rotation"]);
  const edited = (change: (d: typeof DOCUMENT) => void) => {
    const copy = structuredClone(DOCUMENT);
    change(copy);
    return as(copy);
  };

  it("for other numbers that it takes, and for no other change", () => {
    const own = as(DOCUMENT);
    expect(
      sameButForNumbers(
        shader,
        own,
        edited((d) => (d.layers[0]!.opacity = 0.9)),
      ),
    ).toBe(true);
    expect(
      sameButForNumbers(
        shader,
        own,
        edited((d) => (d.layers[0]!.mapping!.rotation = 1)),
      ),
    ).toBe(true);
    expect(
      sameButForNumbers(
        shader,
        own,
        edited((d) => (d.layers[1]!.opacity = 0.9)),
      ),
    ).toBe(false);
    expect(
      sameButForNumbers(
        shader,
        own,
        edited((d) => (d.layers[0]!.name = "B")),
      ),
    ).toBe(false);
    expect(
      sameButForNumbers(
        shader,
        own,
        edited((d) => d.layers.splice(0, 1)),
      ),
    ).toBe(false);
  });

  it("not where what it takes for one is two", () => {
    const same = compiled(
      ["/layers/0/opacity", "/layers/1/opacity"],
      [["/layers/0/opacity", "/layers/1/opacity"]],
    );
    const alike = edited((d) => (d.layers[1]!.opacity = 0.25));
    expect(
      sameButForNumbers(
        same,
        alike,
        edited((d) => d.layers.forEach((l) => (l.opacity = 0.5))),
      ),
    ).toBe(true);
    expect(sameButForNumbers(same, alike, as(DOCUMENT))).toBe(false);
  });
});
