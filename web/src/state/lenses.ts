/** What the picture shows. */

import type { Studio } from "./studio.svelte";

export type Lens = "blend" | "channel" | "set" | "grain" | "groups" | "distance";

export interface LensChoice {
  value: Lens;
  name: string;
  key: string;
  about: string;
}

export const LENSES: LensChoice[] = [
  { value: "blend", name: "Blend", key: "B", about: "The shaded result" },
  { value: "channel", name: "Channel", key: "C", about: "The chosen channel, dark 0 to light 1" },
  { value: "set", name: "Set", key: "S", about: "R, G and B of the set as colours" },
  {
    value: "grain",
    name: "Grain",
    key: "G",
    about: "Distance between neighbouring vertices: light is coarse",
  },
  { value: "groups", name: "Groups", key: "O", about: "Each group of faces in its own colour" },
];

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
