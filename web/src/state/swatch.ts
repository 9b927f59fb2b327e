/** What stands for the ground or a layer in small: its material's picture, or its colour. */

import { picturePath } from "./server";
import type { Studio } from "./studio.svelte";
import type { BlendDocument, Layer } from "./types";

type Colour = [number, number, number];

/** A linear colour as CSS knows it. */
export const cssColour = ([r, g, b]: Colour): string => `color(srgb-linear ${r} ${g} ${b})`;

function colourOf(entry: BlendDocument["ground"] | Layer): Colour {
  if (!("kind" in entry)) return entry.colour as Colour;
  if (entry.kind === "film") return entry.colour as Colour;
  if (entry.kind !== "tint") return [0.2, 0.2, 0.2];
  const { colouring } = entry;
  if (colouring.kind === "colour") return colouring.colour as Colour;
  return [0.35, 0.35, 0.35];
}

/** A CSS background. */
export function swatchOf(studio: Studio, entry: BlendDocument["ground"] | Layer): string {
  const id = "material" in entry ? (entry.material ?? null) : null;
  const material = studio.documents.material(id);
  if (material) return `center / cover url("${picturePath(material.id, material.revision)}")`;
  if ("kind" in entry && entry.kind === "tint" && entry.colouring.kind === "gradient") {
    const stops = entry.colouring.stops as [number, number, number, number][];
    const parts = stops.map(([at, ...colour]) => `${cssColour(colour as Colour)} ${at * 100}%`);
    return `linear-gradient(to right, ${parts.join(", ")})`;
  }
  return cssColour(colourOf(entry));
}
