/** Where a set's values lie, in words. */

import { shownLength } from "../ui/quantity";
import type { ChannelSetView, SurfaceView } from "./types";

export interface TerrainFacts {
  rows: number;
  cols: number;
  spacing: number;
  lowest: number;
  highest: number;
  painted_low: number;
  painted_high: number;
}

/** Of a terrain; null for a mesh. */
export const terrainOf = (surface: SurfaceView): TerrainFacts | null =>
  (surface.facts["terrain"] as TerrainFacts | undefined) ?? null;

/** Whether a set lies on a grid, which a picture can be made of, and not on vertices. */
export const onGrid = ({ sites }: ChannelSetView): boolean => sites.kind !== "vertices";

/** The ground, where what a set holds is its heights; null for a set of weights. */
export const heightsIn = (set: ChannelSetView, surface: SurfaceView): TerrainFacts | null =>
  set.sites.kind === "corners" ? terrainOf(surface) : null;

const by = (cols: number, rows: number): string =>
  cols === rows
    ? `${cols.toLocaleString("en")}²`
    : `${cols.toLocaleString("en")} × ${rows.toLocaleString("en")}`;

/** What it lies on; empty for vertices, which go without saying. */
export function liesOn({ sites }: ChannelSetView, surface: SurfaceView): string {
  const terrain = terrainOf(surface);
  switch (sites.kind) {
    case "texels":
      return `On a map of ${sites.size ?? 1024}²`;
    case "cells": {
      const cols = sites.cols ?? 1024;
      const apart = terrain ? ((terrain.cols - 1) * terrain.spacing) / cols : 0;
      return `${by(cols, sites.rows ?? 1024)} cells${apart ? ` of ${shownLength(apart)}` : ""}`;
    }
    case "corners":
      return `${by(sites.cols, sites.rows)} heights`;
    default:
      return "";
  }
}
