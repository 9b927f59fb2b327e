/** Whatever is done to the list of layers: nobody is lost or doubled, and groups lie together. */

import { describe, expect, it } from "vitest";

import * as layers from "../src/state/layers";
import type { BlendDocument, Layer } from "../src/state/types";
import { randomOf, whole } from "./random";

function blend(seed: number): BlendDocument {
  const random = randomOf(seed);
  const groups = Array.from({ length: whole(random, 3) }, (_, g) => `group-${g + 1}`);
  const out: Layer[] = [];
  const made = (group: string | null) =>
    out.push({ id: `l${out.length}`, name: `L${out.length}`, visible: true, group } as unknown as Layer);
  for (const group of groups) {
    for (let i = whole(random, 3); i > 0; i--) made(null);
    for (let i = 1 + whole(random, 3); i > 0; i--) made(group);
  }
  for (let i = 1 + whole(random, 3); i > 0; i--) made(null);
  return {
    layers: out,
    groups: groups.map((id) => ({ id, name: id, visible: true })),
  } as unknown as BlendDocument;
}

function holds(document: BlendDocument): void {
  const ids = document.layers.map((l) => l.id);
  expect(new Set(ids).size).toBe(ids.length);
  const runs = document.layers.map((l) => l.group ?? null).filter((g, i, all) => g !== all[i - 1]);
  const named = runs.filter((g) => g !== null);
  expect(new Set(named).size, "the layers of a group lie one on the other").toBe(named.length);
  const used = new Set(document.layers.flatMap((l) => l.group ?? []));
  expect(document.groups.map((g) => g.id).sort()).toEqual([...used].sort());
}

const SEEDS = Array.from({ length: 60 }, (_, seed) => seed);

describe.each(SEEDS)("a blend by chance (%i)", (seed) => {
  const random = randomOf(seed + 1000);
  const begun = blend(seed);
  const ids = begun.layers.map((l) => l.id).sort();
  const any = () => begun.layers[whole(random, begun.layers.length)]!;

  it("keeps everybody when one is moved, grouped or let out of a group", () => {
    for (let i = 0; i < 12; i++) {
      const { id } = any();
      const group = [null, ...begun.groups.map((g) => g.id)][whole(random, begun.groups.length + 1)]!;
      for (const document of [
        layers.moved(begun, id, random() < 0.5),
        layers.grouped(begun, id, group),
        layers.withGroup(begun, id),
      ]) {
        holds(document);
        expect(document.layers.map((l) => l.id).sort()).toEqual(ids);
      }
      expect(layers.grouped(begun, id, group).layers.find((l) => l.id === id)!.group ?? null).toBe(group);
    }
  });

  it("keeps everybody however its rows are dragged, folded groups included", () => {
    for (let i = 0; i < 12; i++) {
      const folded = new Set(begun.groups.filter(() => random() < 0.5).map((g) => g.id));
      const rows = layers.rowsOf(begun, folded).map((row) => row.id);
      const mover = rows[whole(random, rows.length)]!;
      const rest = rows.filter((id) => id !== mover);
      rest.splice(whole(random, rest.length + 1), 0, mover);
      const document = layers.arranged(begun, rest, mover, folded);
      holds(document);
      expect(document.layers.map((l) => l.id).sort()).toEqual(ids);
    }
  });

  it("stays as it is where a row comes down where it was", () => {
    for (const { id } of layers.rowsOf(begun, new Set())) {
      const rows = layers.rowsOf(begun, new Set()).map((row) => row.id);
      expect(layers.arranged(begun, rows, id, new Set()).layers.map((l) => l.id)).toEqual(
        begun.layers.map((l) => l.id),
      );
    }
  });

  it("doubles one right above it, with an id of its own, and can be rid of it again", () => {
    const { id } = any();
    const twice = layers.doubled(begun, id);
    holds(twice.document);
    const at = twice.document.layers.findIndex((l) => l.id === id);
    expect(twice.document.layers[at + 1]!.id).toBe(twice.id);
    expect(layers.without(twice.document, twice.id)).toEqual(begun);
  });
});

it("knows what is shown: not a hidden layer, nor one of a hidden group", () => {
  const document = blend(4);
  const [one] = document.layers;
  expect(layers.shown(document, one!)).toBe(true);
  expect(layers.shown(document, { ...one!, visible: false })).toBe(false);
  const hidden = { ...document, groups: document.groups.map((g) => ({ ...g, visible: false })) };
  for (const layer of document.layers) expect(layers.shown(hidden, layer)).toBe(!layer.group);
});
