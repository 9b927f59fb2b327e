/** Brush settings, kept between visits. */

import type { Brush } from "./types";

const KEY = "ash.brush";
const DEFAULT: Brush = {
  act: "paint",
  radius: 0.35,
  strength: 0.6,
  target: 1,
  falloff: "smooth",
  reach: "skin",
  facing_limit: 90,
  coat: "single",
  flow: 0.25,
  spacing: 0.15,
  pressure_drives: "strength",
};

function kept(): Brush {
  try {
    return { ...DEFAULT, ...(JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Brush>) };
  } catch {
    return { ...DEFAULT };
  }
}

/** Falloff profiles, as in core.brush.falloff; here only to draw them. */
export const FALLOFFS: Record<Brush["falloff"], (t: number) => number> = {
  smooth: (t) => 1 - t * t * (3 - 2 * t),
  linear: (t) => 1 - t,
  dome: (t) => Math.sqrt(Math.max(0, 1 - t * t)),
  flat: () => 1,
};

export class BrushState {
  settings = $state<Brush>(kept());

  /** Where between centre and rim the falloff has dropped to a half. */
  halfway = $derived.by(() => {
    const profile = FALLOFFS[this.settings.falloff];
    for (let i = 0; i <= 100; i++) if (profile(i / 100) <= 0.5) return i / 100;
    return 1;
  });

  set<K extends keyof Brush>(name: K, value: Brush[K]): void {
    this.settings[name] = value;
    localStorage.setItem(KEY, JSON.stringify(this.settings));
  }

  scaleRadius(factor: number): void {
    this.set("radius", Math.min(1000, Math.max(0.001, this.settings.radius * factor)));
  }

  addStrength(step: number): void {
    this.set("strength", Math.min(1, Math.max(0, Math.round((this.settings.strength + step) * 100) / 100)));
  }

  flipAct(): void {
    this.set("act", this.settings.act === "paint" ? "erase" : "paint");
  }
}
