/** Changes to the layers of a blend: a document in, a new document out. */

import type { BlendDocument, ChannelAddress, KindView, Layer, MaterialView, Recipe } from "./types";

const withLayers = (document: BlendDocument, layers: Layer[]): BlendDocument => ({
  ...document,
  layers,
});

export function changed(document: BlendDocument, id: string, change: Partial<Layer>): BlendDocument {
  return withLayers(
    document,
    document.layers.map((layer) => (layer.id === id ? ({ ...layer, ...change } as Layer) : layer)),
  );
}

/** The material that a layer lays, where its kind has one. */
export const materialOf = (layer: Layer): string | null => ("material" in layer ? layer.material : null);

/** An id that no layer has. */
function freeId(document: BlendDocument): string {
  const taken = new Set(document.layers.map((l) => l.id));
  let number = document.layers.length + 1;
  while (taken.has(`layer-${number}`)) number++;
  return `layer-${number}`;
}

/** The channel that a mask is, when it is nothing else. */
export function onlyChannel(mask: Recipe): ChannelAddress | null {
  const [term, more] = mask.terms;
  if (!term || more || term.source.kind !== "channel") return null;
  return { channel_set: term.source.channel_set, channel: term.source.channel };
}

/** Whether a recipe reads a channel. */
export const reads = (mask: Recipe, address: ChannelAddress): boolean =>
  mask.terms.some(
    ({ on, source }) =>
      on &&
      source.kind === "channel" &&
      source.channel_set === address.channel_set &&
      source.channel === address.channel,
  );

/** A layer for the top: of a material that the blend does not use yet, where there is one. tile: its size in metres. */
export function fresh(
  document: BlendDocument,
  kind: KindView,
  materials: MaterialView[],
  mask: Recipe,
  tile: number,
): Layer {
  const first = kind.first as unknown as Layer;
  const used = new Set([document.ground.material, ...document.layers.map(materialOf)]);
  const material = materials.find((m) => !used.has(m.id)) ?? materials[0];
  const made = { ...first, id: freeId(document), name: kind.title, mask };
  if (!("mapping" in first) || !material) return made;
  const { projection } = document.ground.mapping;
  const mapping = { ...first.mapping, projection, metres_per_tile: tile };
  return { ...made, name: material.name, material: material.id, mapping } as Layer;
}

export const withTop = (document: BlendDocument, layer: Layer): BlendDocument =>
  withLayers(document, [...document.layers, layer]);

/** The same layer once more, right above it. */
export function doubled(document: BlendDocument, id: string): { document: BlendDocument; id: string } {
  const at = document.layers.findIndex((layer) => layer.id === id);
  const layer = document.layers[at]!;
  const copy = { ...layer, id: freeId(document), name: `${layer.name} 2`.slice(0, 60) } as Layer;
  const layers = [...document.layers];
  layers.splice(at + 1, 0, copy);
  return { document: withLayers(document, layers), id: copy.id };
}

/** A layer of another blend for the top of this one. */
export const adopted = (document: BlendDocument, layer: Layer): Layer => ({ ...layer, id: freeId(document) });

export const without = (document: BlendDocument, id: string): BlendDocument =>
  withLayers(
    document,
    document.layers.filter((layer) => layer.id !== id),
  );

/** ids: every layer, lowest first. */
export function ordered(document: BlendDocument, ids: string[]): BlendDocument {
  const byId = new Map(document.layers.map((layer) => [layer.id, layer]));
  return withLayers(
    document,
    ids.map((id) => byId.get(id)!),
  );
}

export function moved(document: BlendDocument, id: string, up: boolean): BlendDocument {
  const ids = document.layers.map((layer) => layer.id);
  const at = ids.indexOf(id);
  const to = up ? at + 1 : at - 1;
  if (at < 0 || to < 0 || to >= ids.length) return document;
  [ids[at], ids[to]] = [ids[to]!, ids[at]!];
  return ordered(document, ids);
}
