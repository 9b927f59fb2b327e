/** Changes to the layers of a blend: a document in, a new document out. */

import type {
  BlendDocument,
  ChannelAddress,
  KindView,
  Layer,
  LayerGroup,
  MaterialView,
  Recipe,
} from "./types";

/** A group that nothing is in any more goes. */
const withLayers = (document: BlendDocument, layers: Layer[]): BlendDocument => ({
  ...document,
  layers,
  groups: document.groups.filter((group) => layers.some((layer) => layer.group === group.id)),
});

/** Whether neither the layer nor its group is hidden. */
export const shown = (document: BlendDocument, layer: Layer): boolean =>
  layer.visible && !document.groups.some((group) => group.id === layer.group && !group.visible);

export function changed(document: BlendDocument, id: string, change: Partial<Layer>): BlendDocument {
  return withLayers(
    document,
    document.layers.map((layer) => (layer.id === id ? ({ ...layer, ...change } as Layer) : layer)),
  );
}

/** The material that a layer lays, where its kind has one. */
export const materialOf = (layer: Layer): string | null => ("material" in layer ? layer.material : null);

/** An id that no layer or term has, and none ever had. */
export const freshId = (): string => Math.random().toString(36).slice(2, 12);

/** The channel that a mask is, when it is nothing else. */
export function onlyChannel(mask: Recipe): ChannelAddress | null {
  const [term, more] = mask.terms;
  if (!term || more || term.source.kind !== "channel") return null;
  return { channel_set: term.source.channel_set, channel: term.source.channel };
}

/**
 * A layer for the top: of a material that the blend does not use yet, where there is one, and with normals that are
 * seen where it has nothing else. tile: its size in metres.
 */
export function fresh(
  document: BlendDocument,
  kind: KindView,
  materials: MaterialView[],
  mask: Recipe,
  tile: number,
): Layer {
  const first = kind.first as unknown as Layer;
  const used = new Set([document.ground.material, ...document.layers.map(materialOf)]);
  const free = materials.filter((m) => !used.has(m.id));
  const material =
    (kind.kind === "relief" ? (free.find((m) => m.relief) ?? materials.find((m) => m.relief)) : free[0]) ??
    materials[0];
  const made = { ...first, id: freshId(), name: kind.title, mask };
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
  const copy = { ...layer, id: freshId(), name: `${layer.name} 2`.slice(0, 60) } as Layer;
  const layers = [...document.layers];
  layers.splice(at + 1, 0, copy);
  return { document: withLayers(document, layers), id: copy.id };
}

/** A layer of another blend for the top of this one. */
export const withFreshId = (layer: Layer): Layer => ({
  ...layer,
  id: freshId(),
  group: null,
});

export const without = (document: BlendDocument, id: string): BlendDocument =>
  withLayers(
    document,
    document.layers.filter((layer) => layer.id !== id),
  );

/** The layer one place up or down; at the edge of a group it goes in or out first, and stays where it is. */
export function moved(document: BlendDocument, id: string, up: boolean): BlendDocument {
  const layers = [...document.layers];
  const at = layers.findIndex((layer) => layer.id === id);
  const to = up ? at + 1 : at - 1;
  const [own, next] = [layers[at], layers[to]];
  if (!own) return document;
  if (own.group !== (next?.group ?? null)) {
    layers[at] = { ...own, group: own.group ? null : next!.group };
  } else if (next) [layers[at], layers[to]] = [next, own];
  return withLayers(document, layers);
}

/** What the list shows, topmost first: groups stand over their layers, which a folded one has under it unseen. */
export type Row = { id: string; layer: Layer } | { id: string; group: LayerGroup };
const HEAD = "group:";
export const isHead = (id: string): boolean => id.startsWith(HEAD);

export function rowsOf(document: BlendDocument, folded: ReadonlySet<string>): Row[] {
  const rows: Row[] = [];
  for (const layer of [...document.layers].reverse()) {
    const group = document.groups.find((g) => g.id === layer.group);
    if (group && !rows.some((row) => row.id === HEAD + group.id)) rows.push({ id: HEAD + group.id, group });
    if (!group || !folded.has(group.id)) rows.push({ id: layer.id, layer });
  }
  return rows;
}

/** The layers as the rows of the list lie now, after one of them was moved. */
export function arranged(
  document: BlendDocument,
  rows: string[],
  mover: string,
  folded: ReadonlySet<string>,
): BlendDocument {
  const byId = new Map(document.layers.map((layer) => [layer.id, layer]));
  const members = (group: string) => document.layers.filter((l) => l.group === group).reverse();
  const head = isHead(mover) ? mover.slice(HEAD.length) : null;
  const out: Layer[] = [];
  let within: string | null = null;
  const others = rows.filter((id) => !head || id === mover || byId.get(id)?.group !== head);
  others.forEach((id, at) => {
    if (isHead(id)) {
      const group = id.slice(HEAD.length);
      within = folded.has(group) || head ? null : group;
      if (id === mover || folded.has(group)) out.push(...members(group));
      return;
    }
    const layer = byId.get(id)!;
    if (id === mover) {
      // Between two of a group it belongs to them; at their lower edge only if it did before.
      const below = byId.get(others[at + 1] ?? "")?.group ?? null;
      const joins =
        within !== null && (below === within || layer.group === within || !members(within).length);
      within = joins ? within : null;
      out.push({ ...layer, group: within });
      return;
    }
    within = layer.group ?? null;
    out.push(layer);
  });
  return withLayers(document, together(out.reverse()));
}

/** Layers of a group that something came between lie together again, where the lowest of them is. */
function together(layers: Layer[]): Layer[] {
  const out: Layer[] = [];
  for (const layer of layers) {
    if (out.includes(layer)) continue;
    out.push(...(layer.group ? layers.filter((l) => l.group === layer.group) : [layer]));
  }
  return out;
}

/** The layer as one of a group, or of none: at the end of the group that is nearer, so that little else moves. */
export function grouped(document: BlendDocument, id: string, group: string | null): BlendDocument {
  const at = document.layers.findIndex((l) => l.id === id);
  const layer = document.layers[at]!;
  if (layer.group === group) return document;
  const own = group ?? layer.group;
  const rest = document.layers.filter((l) => l.id !== id);
  const bottom = rest.findIndex((l) => l.group === own);
  const top = rest.findLastIndex((l) => l.group === own) + 1;
  rest.splice(bottom < 0 ? at : at <= bottom ? bottom : top, 0, { ...layer, group } as Layer);
  return withLayers(document, rest);
}

/** A new group, of one layer. */
export function withGroup(document: BlendDocument, id: string): BlendDocument {
  let number = document.groups.length + 1;
  while (document.groups.some((g) => g.id === `group-${number}`)) number++;
  const group = { id: `group-${number}`, name: `Group ${number}`, visible: true };
  const apart = { ...grouped(document, id, null), groups: [...document.groups, group] };
  return withLayers(
    apart,
    apart.layers.map((l) => (l.id === id ? ({ ...l, group: group.id } as Layer) : l)),
  );
}

export const withGroupChanged = (
  document: BlendDocument,
  id: string,
  change: Partial<LayerGroup>,
): BlendDocument => ({
  ...document,
  groups: document.groups.map((group) => (group.id === id ? { ...group, ...change } : group)),
});
