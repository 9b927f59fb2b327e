/** Changes to the layers of a blend: a document in, a new document out. */

import type { BlendDocument, ChannelAddress, CoverLayer, MaterialView } from "./types";

const withLayers = (document: BlendDocument, layers: CoverLayer[]): BlendDocument => ({
  ...document,
  layers,
});

export function changed(document: BlendDocument, id: string, change: Partial<CoverLayer>): BlendDocument {
  return withLayers(
    document,
    document.layers.map((layer) => (layer.id === id ? { ...layer, ...change } : layer)),
  );
}

/** A layer for the top: of a material that the blend does not use yet, where there is one. tile: its size in metres. */
export function fresh(
  document: BlendDocument,
  materials: MaterialView[],
  mask: ChannelAddress,
  tile: number,
): CoverLayer {
  const used = new Set([document.ground.material, ...document.layers.map((l) => l.material)]);
  const material = materials.find((m) => !used.has(m.id)) ?? materials[0]!;
  const taken = new Set(document.layers.map((l) => l.id));
  let number = document.layers.length + 1;
  while (taken.has(`layer-${number}`)) number++;
  return {
    kind: "cover",
    id: `layer-${number}`,
    name: material.name,
    material: material.id,
    mapping: {
      projection: document.ground.mapping.projection,
      metres_per_tile: tile,
      rotation: 0,
      offset: [0, 0],
    },
    visible: true,
    opacity: 1,
    mask: { kind: "channel", ...mask },
    bite: 1,
    softness: 0.15,
  };
}

export const withTop = (document: BlendDocument, layer: CoverLayer): BlendDocument =>
  withLayers(document, [...document.layers, layer]);

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
