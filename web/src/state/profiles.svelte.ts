/** Falloffs and curves as strokes have them: the server draws them, the page keeps the drawings. */

import { SvelteMap } from "svelte/reactivity";

import { answer, server } from "./server";
import type { Brush, Curve, Profile } from "./types";

const drawn = new SvelteMap<string, Profile>();
const asked = new Set<string>();

function ask(key: string, request: () => Promise<Record<string, Profile>>): void {
  if (asked.has(key)) return;
  asked.add(key);
  request().then(
    (profiles) => {
      for (const [name, profile] of Object.entries(profiles)) drawn.set(name, profile);
    },
    // Without an answer the next one who wants it asks again.
    () => asked.delete(key),
  );
}

/** A curve's heights at even steps; null until the server has drawn it. */
export function curveProfile(curve: Curve): Profile | null {
  const key = JSON.stringify(curve.points);
  ask(key, async () => ({ [key]: await answer<Profile>(server.POST("/api/curves", { body: curve })) }));
  return drawn.get(key) ?? null;
}

/** How a brush fades from its centre (first) to its rim (last). */
export function brushProfile({ falloff, curve }: Required<Brush>): Profile | null {
  if (falloff === "curve") return curve && curveProfile(curve);
  ask("falloffs", () => answer<Record<string, Profile>>(server.GET("/api/falloffs")));
  return drawn.get(falloff) ?? null;
}

export const halfwayOf = (brush: Required<Brush>): number => brushProfile(brush)?.halfway ?? 1;
