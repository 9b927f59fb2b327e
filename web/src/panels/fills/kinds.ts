/** The fills: what each begins with on a surface, and what can be set. A new one is one entry here. */

import type { AnyFill } from "../../state/types";

export type FillName = AnyFill["kind"];

/** Where a surface lies, in metres. */
export interface Room {
  bottom: number;
  height: number;
  diagonal: number;
  /** Metres between neighbouring sites. */
  grain: number;
}

export interface SliderControl {
  kind: "slider";
  of: string;
  label: string;
  tip: string;
  min: number;
  max: number;
  unit?: string;
  digits?: number;
  step?: number;
  logarithmic?: boolean;
  length?: boolean;
}

/** What an artist sets of a fill; `of` names the number it is about. */
export type Control =
  | SliderControl
  | { kind: "toggle"; of: string; label: string; about: string }
  | { kind: "curve"; of: string; label: string }
  | { kind: "direction" | "border" | "axis" | "way" | "source" | "mode" | "pattern" | "swap" }
  | { kind: "note"; text: string };

export interface FillKind {
  name: string;
  about: string;
  begin: (room: Room) => AnyFill;
  controls: (room: Room) => Control[];
}

const share = (of: string, label: string, tip: string): SliderControl => ({
  kind: "slider",
  of,
  label,
  tip,
  min: 0,
  max: 1,
});
const metres = (of: string, label: string, tip: string, min: number, max: number): SliderControl => ({
  kind: "slider",
  of,
  label,
  tip,
  min,
  max,
  length: true,
});
const size = (of: string, label: string, tip: string, min: number, max: number): SliderControl => ({
  ...metres(of, label, tip, min, max),
  logarithmic: true,
});
const degrees = (of: string, label: string, tip: string): SliderControl => ({
  kind: "slider",
  of,
  label,
  tip,
  min: 0,
  max: 180,
  unit: "°",
  digits: 0,
  step: 1,
});
const WEIGHT = share("weight", "Weight", "The weight painted toward");
const AMOUNT = share("amount", "Amount", "How much of it");

export const FILLS: Record<FillName, FillKind> = {
  height: {
    name: "Height",
    about: "A band of heights, with soft or rough edges",
    begin: ({ bottom, height, diagonal }) => ({
      kind: "height",
      weight: 1,
      low: bottom,
      high: bottom + height / 2,
      soft: height / 10,
      rough: 0,
      rough_metres: diagonal / 20,
    }),
    controls: ({ bottom, height }) => {
      const [low, high] = [bottom - height / 4, bottom + (height * 5) / 4];
      return [
        WEIGHT,
        metres("low", "From", "Lower end of the band", low, high),
        metres("high", "To", "Upper end of the band", low, high),
        metres("soft", "Soft", "Over how many metres each end fades", 0, Math.max(height, 0.1)),
        metres("rough", "Rough", "How far noise moves the ends up and down", 0, Math.max(height / 2, 0.1)),
      ];
    },
  },
  facing: {
    name: "Facing",
    about: "What faces a direction",
    begin: () => ({ kind: "facing", weight: 1, direction: [0, 1, 0], full: 20, none: 50 }),
    controls: () => [
      WEIGHT,
      { kind: "direction" },
      degrees("full", "Full within", "Angle to the direction up to which it is full"),
      degrees("none", "Nothing beyond", "Angle from which nothing is painted"),
    ],
  },
  border: {
    name: "Border",
    about: "Away from a group's border or open edges, along the surface",
    begin: ({ diagonal }) => ({ kind: "border", weight: 1, group: null, keep: 0, width: diagonal / 20 }),
    controls: ({ diagonal }) => [
      WEIGHT,
      { kind: "border" },
      metres("keep", "Full for", "Metres from the border that are full", 0, diagonal / 4),
      size(
        "width",
        "Fades over",
        "Metres over which the weight then falls to nothing",
        diagonal / 2000,
        diagonal / 2,
      ),
    ],
  },
  gradient: {
    name: "Axis gradient",
    about: "From one weight to another along an axis",
    begin: () => ({
      kind: "gradient",
      begin: [0, 0, 0],
      end: [0, 1, 0],
      begin_weight: 0,
      end_weight: 1,
      beyond: true,
    }),
    controls: () => [
      { kind: "axis" },
      share("begin_weight", "Begins with", "Weight at the low end"),
      share("end_weight", "Ends with", "Weight at the high end"),
      { kind: "note", text: "For two places of your own take the Gradient tool on the left." },
    ],
  },
  along: {
    name: "Along",
    about: "From one end to the other: of the whole, or of each part from root to tip",
    begin: () => ({
      kind: "along",
      way: "y",
      each: true,
      turned: false,
      curve: {
        points: [
          [0, 0],
          [1, 1],
        ],
      },
      amount: 1,
    }),
    controls: () => [
      { kind: "way" },
      {
        kind: "toggle",
        of: "each",
        label: "For each connected part",
        about: "From 0 at each part's own root to 1 at its tip",
      },
      { kind: "toggle", of: "turned", label: "The other way round", about: "From 1 to 0" },
      { kind: "curve", of: "curve", label: "Over the way" },
      AMOUNT,
    ],
  },
  scale: {
    name: "Multiply",
    about: "What is there, times a number",
    begin: () => ({ kind: "scale", factor: 0.5 }),
    controls: () => [
      {
        kind: "slider",
        of: "factor",
        label: "Times",
        tip: "Half is 0.5; above 1 it grows, up to full",
        min: 0,
        max: 4,
        step: 0.05,
      },
      { kind: "note", text: "For some parts alone, pick them below." },
    ],
  },
  noise: {
    name: "Noise",
    about: "Clouds that lie on the surface",
    begin: ({ diagonal }) => ({
      kind: "noise",
      metres: diagonal / 20,
      seed: 0,
      low: 0.35,
      high: 0.65,
      amount: 1,
    }),
    controls: ({ diagonal }) => [
      size("metres", "Size", "Size of its features", diagonal / 2000, diagonal),
      share("low", "Empty below", "Noise values below this become 0"),
      share("high", "Full above", "Noise values above this become 1"),
      AMOUNT,
      { kind: "pattern" },
    ],
  },
  mix: {
    name: "Mix channel",
    about: "Another channel, copied or mixed in",
    begin: () => ({ kind: "mix", mode: "replace", inverted: false, amount: 1 }),
    controls: () => [
      { kind: "source" },
      { kind: "mode" },
      share("amount", "Amount", "How much of the result"),
      { kind: "toggle", of: "inverted", label: "Invert it first", about: "One minus the other channel" },
      { kind: "swap" },
    ],
  },
  levels: {
    name: "Levels",
    about: "A curve over what is there",
    begin: () => ({
      kind: "levels",
      curve: {
        points: [
          [0, 0],
          [1, 1],
        ],
      },
    }),
    controls: () => [
      { kind: "curve", of: "curve", label: "Levels" },
      {
        kind: "note",
        text: "Across: what is there. Up: what it becomes. Click the line for a point.",
      },
    ],
  },
  threshold: {
    name: "Threshold",
    about: "Full above a value, nothing below",
    begin: () => ({ kind: "threshold", value: 0.5, soft: 0 }),
    controls: () => [
      share("value", "Value", "Full above, nothing below"),
      share("soft", "Soft", "Width of the step"),
    ],
  },
  smooth: {
    name: "Smooth all",
    about: "Even the whole channel out",
    // What is less than the sites lie apart changes nothing that is seen.
    begin: ({ diagonal, grain }) => ({
      kind: "smooth",
      metres: Math.max(diagonal / 100, 2 * grain),
      amount: 1,
    }),
    controls: ({ diagonal, grain }) => [
      size(
        "metres",
        "Over",
        "How far it evens out along the surface; less than the sites lie apart is not seen",
        Math.min(grain / 2, diagonal / 20),
        Math.max(diagonal / 10, 8 * grain),
      ),
      AMOUNT,
    ],
  },
  clear_below: {
    name: "Clear below",
    about: "Nothing below a height: roots that must stay still",
    begin: ({ bottom, height }) => ({ kind: "clear_below", height: bottom, soft: height / 10 }),
    controls: ({ bottom, height }) => [
      metres("height", "Height", "Nothing below this", bottom, bottom + height),
      metres("soft", "Soft", "Over how many metres paint comes back above it", 0, Math.max(height, 0.1)),
    ],
  },
  even: {
    name: "Even",
    about: "One weight everywhere",
    begin: () => ({ kind: "even", weight: 1 }),
    controls: () => [WEIGHT],
  },
  invert: {
    name: "Invert",
    about: "One minus what is there",
    begin: () => ({ kind: "invert" }),
    controls: () => [{ kind: "note", text: "One minus what is there." }],
  },
  lift: {
    name: "Lift paint",
    about: "All hand paint off",
    begin: () => ({ kind: "lift" }),
    controls: () => [{ kind: "note", text: "All hand paint off." }],
  },
};
