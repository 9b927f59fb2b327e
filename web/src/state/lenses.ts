/** What the picture shows. */

import type { Studio } from "./studio.svelte";

export type Lens =
  | "blend"
  | "clay"
  | "channel"
  | "set"
  | "mask"
  | "weight"
  | "share"
  | "term"
  | "slope"
  | "height"
  | "overlap"
  | "grain"
  | "groups"
  | "distance";

/** Lenses that show one number of the blend or of the shape, by a program of their own. */
export const isProgrammed = (lens: Lens): boolean =>
  ["mask", "weight", "share", "term", "slope", "height", "overlap"].includes(lens);

export interface LensChoice {
  value: Lens;
  name: string;
  key?: string;
  about: string;
}

export const LENSES: LensChoice[] = [
  { value: "blend", name: "Blend", key: "B", about: "The shaded result" },
  { value: "channel", name: "Channel", key: "C", about: "The chosen channel, dark 0 to light 1" },
  { value: "mask", name: "Mask", key: "Shift+C", about: "The open layer's mask, as its recipe says" },
  { value: "share", name: "Share", key: "Y", about: "How much of the open layer is left to see" },
  {
    value: "grain",
    name: "Grain",
    key: "G",
    about: "Distance between neighbouring vertices: light is coarse",
  },
];

/** Lenses that are asked for less often. */
export const MORE_LENSES: LensChoice[] = [
  { value: "clay", name: "Clay", key: "Shift+B", about: "Shape and light alone" },
  { value: "set", name: "Set", key: "S", about: "R, G and B of the set as colours" },
  {
    value: "weight",
    name: "Border",
    about: "The open layer's mask behind its border: what heights made of it",
  },
  { value: "term", name: "Term", about: "The open term of the recipe alone" },
  { value: "slope", name: "Slope", key: "Shift+S", about: "How steep a place is, in bands of 10°" },
  {
    value: "height",
    name: "Height",
    key: "Shift+H",
    about: "How high a place lies, in bands whose edges are contour lines",
  },
  {
    value: "overlap",
    name: "Overlap",
    about:
      "Where the set's weights, added up, go beyond what they cover in order: engines that add differ there",
  },
  { value: "groups", name: "Groups", key: "O", about: "Each group of faces in its own colour" },
];

export const ALL_LENSES: LensChoice[] = [...LENSES, ...MORE_LENSES];

/** Terrain has its heights evenly apart, and no faces to be grouped; adding up is for sets on cells. */
export const lensFits = ({ surface }: Studio, lens: Lens): boolean =>
  surface.facts["terrain"] ? lens !== "grain" && lens !== "groups" : lens !== "overlap";

/** Metres that the scale of lengths runs over: for distances from what hardly shows on. */
export function rangeOf(studio: Studio, lens: Lens): [number, number] {
  const facts = studio.surface.facts as Record<string, number>;
  const grain = facts["spacing_median"] ?? 0.1;
  if (lens === "distance") {
    const worst = Number(studio.preparing.job?.facts?.["worst"] ?? grain);
    return [grain / 100, Math.max(worst, grain / 10)];
  }
  const fine = facts["spacing_fine"] ?? grain / 2;
  return [Math.max(fine, 1e-6), Math.max(facts["spacing_coarse"] ?? grain * 2, fine * 1.5)];
}
