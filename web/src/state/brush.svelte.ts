/** Brush settings, kept between visits. */

import { halfwayOf } from "./profiles.svelte";
import type { Brush, FirstSizes } from "./types";

type Settings = Required<Brush>;

const KEY = "ash.brush";
const DEFAULT = {
  act: "paint",
  radius: 0.35,
  strength: 0.6,
  target: 1,
  falloff: "smooth",
  curve: { points: [[0, 1], [0.5, 0.5], [1, 0]] },
  reach: "skin",
  facing_limit: 90,
  coat: "single",
  flow: 0.25,
  spacing: 0.15,
  smoothing: 0.15,
  pressure_drives: "strength",
  pressure_curve: null,
  tilt_drives: "nothing",
  tilt_curve: null,
  stencil: null,
  noise: null,
  symmetry: null,
  numbers: null,
  flipped: false,
} satisfies Brush; // prettier-ignore

function kept(): Settings {
  try {
    return { ...DEFAULT, ...(JSON.parse(localStorage.getItem(KEY) ?? "{}") as Partial<Brush>) };
  } catch {
    return { ...DEFAULT };
  }
}

/** Acts that have a number to go toward, and what it is called. */
export const TARGETS: Partial<Record<Settings["act"], { name: string; about: string }>> = {
  paint: { name: "Weight", about: "The weight that the paint has: 0 clears, 1 is full" },
  add: { name: "Amount", about: "How much a full stroke adds" },
  subtract: { name: "Amount", about: "How much a full stroke takes away" },
  sharpen: { name: "Contrast", about: "How strongly differences from the local mean are raised" },
};

const WEIGHTS = "weights";

export class BrushState {
  #beforeErasing: Settings["act"] = "paint";
  settings = $state<Settings>(kept());
  #surface = "";
  /** Lower instead of raise while a key is held. */
  flipped = $state(false);
  /** Metres that the brush lags behind the pointer, as a share of the radius; 0 follows at once. */
  steady = $state(Number(localStorage.getItem("ash.steady")) || 0);

  /** Where between centre and rim the falloff has dropped to a half. */
  halfway = $derived(halfwayOf(this.settings));

  set<K extends keyof Settings>(name: K, value: Settings[K]): void {
    this.settings[name] = value;
    // What is raised on the ground says nothing of how weights are painted next time.
    const [act, target] =
      this.#meaning === WEIGHTS
        ? [this.settings.act, this.settings.target]
        : [this.#acts.get(WEIGHTS) ?? "paint", this.#targets.get(WEIGHTS) ?? 1];
    localStorage.setItem(KEY, JSON.stringify({ ...this.settings, act, target }));
    if (name === "radius") localStorage.setItem(`ash.radius.${this.#surface}`, String(value));
  }

  /** Take up the radius last used on a surface; on a new one, one that suits its size. */
  fit(surface: string, first: FirstSizes): void {
    this.#surface = surface;
    const last = Number(localStorage.getItem(`ash.radius.${surface}`));
    const { radius } = this.settings;
    if (last > 0) this.settings.radius = last;
    else if (radius > first.most || radius < first.least) this.settings.radius = first.radius;
  }

  setSteady(value: number): void {
    this.steady = value;
    localStorage.setItem("ash.steady", String(value));
  }

  /** The settings for one stroke: what is switched off left out, the view put in where it is needed. */
  forStroke(viewRows: () => number[]): Brush {
    const brush = $state.snapshot(this.settings) as Settings;
    const stencil = brush.stencil;
    return {
      ...brush,
      curve: brush.falloff === "curve" ? brush.curve : null,
      noise: brush.noise && (brush.noise.amount ?? 0) > 0 ? brush.noise : null,
      stencil: stencil && { ...stencil, view: stencil.place === "view" ? viewRows() : null },
      flipped: this.flipped,
    };
  }

  #meaning = WEIGHTS;
  readonly #targets = new Map<string, number>();
  readonly #acts = new Map<string, Settings["act"]>();

  /** What the target stands for has changed: each meaning remembers its own, and its act. first: to begin with. */
  settle(meaning: string, first: number): void {
    if (meaning === this.#meaning) return;
    this.#targets.set(this.#meaning, this.settings.target);
    this.#acts.set(this.#meaning, this.settings.act);
    this.#meaning = meaning;
    const act = this.#acts.get(meaning);
    if (act) this.set("act", act);
    this.set("target", this.#targets.get(meaning) ?? first);
  }

  scaleRadius(factor: number): void {
    this.set("radius", Math.min(1000, Math.max(0.001, this.settings.radius * factor)));
  }

  addStrength(step: number): void {
    this.set("strength", Math.min(1, Math.max(0, Math.round((this.settings.strength + step) * 100) / 100)));
  }

  /** To Erase, and back to what was there before. */
  flipAct(): void {
    if (this.settings.act !== "erase") {
      this.#beforeErasing = this.settings.act;
      this.set("act", "erase");
    } else this.set("act", this.#beforeErasing);
  }
}
