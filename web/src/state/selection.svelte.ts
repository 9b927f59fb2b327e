/** What the artist has chosen of one open surface: where to paint, what to look at, with which tool. */

import type { Lens } from "./lenses";
import {
  LETTERS,
  type ChannelAddress,
  type ChannelDocument,
  type ChannelSetView,
  type FaceUnit,
  type Protection,
  type SnapshotView,
} from "./types";

export type ToolName = "brush" | "faces" | "gradient" | "path" | "choose" | "parts";
export type Side = "prepare" | "undercoat" | "fills" | "blend" | "history";

export interface PickedLine {
  places: [number, number, number][];
  changed: (places: [number, number, number][]) => void;
}

/** What the second picture shows, beside the divider. */
export interface Compare {
  kind: "lens" | "snapshot" | "level";
  lens: Lens;
  snapshot: SnapshotView | null;
  level: number;
  sideBySide: boolean;
  at: number;
}

/** What there is to choose from. */
export interface Choices {
  sets: ChannelSetView[];
  /** Sets that an artist chooses from: those of level 0 and of the map. */
  ownSets: ChannelSetView[];
  levels: unknown[];
  groups: { name: string }[];
}

export class Selection {
  #of: Choices;

  /** Number of the chosen set; on a lower level the one that follows it is painted. */
  activeSet = $state(0);
  activeChannel = $state(0);
  #openLayer = $state<string | null>(null);
  lens = $state<Lens>("blend");
  /** Which term of the recipe on the right side is open; the Term lens shows it. */
  openTerm = $state(0);
  /** The layer that is looked at alone. */
  solo = $state<string | null>(null);
  /** What helps the eye: edges, lines on the ground, a figure. */
  aids = $state.raw({ wires: false, lines: false, figure: false });
  /** The sheet that saves a picture is open. */
  savingPicture = $state(false);
  /** The view goes around by itself. */
  turntable = $state(false);
  /** What moves goes on moving. */
  moving = $state(false);
  /** Level of detail that is shown and painted. */
  level = $state(0);
  tool = $state<ToolName>("brush");
  /** Places that a path runs through so far, in the world. */
  path = $state.raw<[number, number, number][]>([]);
  /** A line that is being picked on the surface, in the world, for whoever asked for it. */
  line = $state.raw<PickedLine | null>(null);
  side = $state<Side>("blend");
  faces = $state<{ unit: FaceUnit; hard: boolean }>({ unit: "quad", hard: false });
  /** Triangles chosen for a group or for refining. */
  chosen = $state.raw<ReadonlySet<number>>(new Set());
  /** An outline takes in what lies behind, too. */
  choosesThrough = $state(false);
  /** Connected parts that were clicked: the triangle that was, and all that belong to it. */
  parts = $state.raw<ReadonlyMap<number, Uint32Array>>(new Map());
  /** Nothing may change on the picked parts. */
  partsProtected = $state(false);
  hidden = $state.raw<ReadonlySet<string>>(new Set());
  protect = $state<Protection>({
    groups: [],
    mask: null,
    inverted: false,
    parts: [],
    height: null,
    slope: null,
  });
  compare = $state.raw<Compare | null>(null);

  /** A drag that begins beside the surface turns the view. */
  besideTurns = $state(localStorage.getItem("ash.beside") !== "nothing");

  setBesideTurns(on: boolean): void {
    this.besideTurns = on;
    localStorage.setItem("ash.beside", on ? "turns" : "nothing");
  }

  constructor(of: Choices) {
    this.#of = of;
  }

  /** The set chosen, as the layers know it. */
  get baseSet(): ChannelSetView {
    return this.#of.ownSets[this.activeSet] ?? this.#of.ownSets[0]!;
  }

  /** The set that is painted: the chosen one, or the one that follows it on the level shown. */
  get set(): ChannelSetView {
    return this.#of.sets[this.numberOn(this.level)] ?? this.baseSet;
  }

  /** The number in frames of the chosen set, or of the one that follows it on a level. */
  numberOn(level: number): number {
    const base = this.baseSet;
    const follower = this.#of.sets.findIndex(
      ({ sites }) => sites.kind === "vertices" && sites.follows === base.id && sites.level === level,
    );
    return level === 0 || follower < 0 ? this.#of.sets.findIndex((set) => set.id === base.id) : follower;
  }

  /** The painted set's number in frames. */
  get setNumber(): number {
    return this.numberOn(this.level);
  }

  /** Change the line that is being picked. */
  pickLine(places: [number, number, number][]): void {
    if (!this.line) return;
    this.line = { ...this.line, places };
    this.line.changed(places);
  }

  get openLayer(): string | null {
    return this.#openLayer;
  }

  /** Another layer's first term is the one to look at. */
  set openLayer(id: string | null) {
    if (id !== this.#openLayer) this.openTerm = 0;
    this.#openLayer = id;
  }

  get channel(): ChannelDocument {
    return this.set.document.channels[this.activeChannel]!;
  }

  /** Every channel of every set, to choose one from. */
  get channelChoices(): { value: string; name: string }[] {
    const named = this.#of.ownSets.length > 1;
    return this.#of.ownSets.flatMap((set) =>
      set.document.channels.map((channel, c) => ({
        value: `${set.id}/${c}`,
        name: `${named ? `${set.document.name} · ` : ""}${LETTERS[c]} · ${channel.name}`,
      })),
    );
  }

  /** The chosen channel as layers know it, on whatever level it is painted. */
  get addressOfBase(): ChannelAddress {
    return { channel_set: this.baseSet.id, channel: this.activeChannel };
  }

  get address(): ChannelAddress {
    return { channel_set: this.set.id, channel: this.activeChannel };
  }

  /** Groups that are protected or hidden, and the protecting mask. */
  get protection(): Protection {
    const { mask, inverted } = this.protect;
    return {
      groups: [...new Set([...(this.protect.groups ?? []), ...this.hidden])],
      mask: mask ? $state.snapshot(mask) : null,
      inverted: inverted ?? false,
      parts: this.partsProtected ? [...this.parts.keys()] : [],
      height: this.protect.height ? $state.snapshot(this.protect.height) : null,
      slope: this.protect.slope ? $state.snapshot(this.protect.slope) : null,
    };
  }

  /** Triangles to tint: those chosen one by one, and the picked parts. */
  get tinted(): ReadonlySet<number> {
    if (!this.parts.size) return this.chosen;
    const all = new Set(this.chosen);
    for (const triangles of this.parts.values()) for (const triangle of triangles) all.add(triangle);
    return all;
  }

  /** Choose a set by its number among those to choose from. */
  chooseSet(number: number): void {
    this.activeSet = number;
    this.activeChannel = Math.min(this.activeChannel, this.set.document.channels.length - 1);
  }

  /** Beside the Blend lens the channel, beside any other the Blend; or nothing. */
  toggleWipe(): void {
    const lens = this.lens === "blend" ? "channel" : "blend";
    this.compare = this.compare
      ? null
      : { kind: "lens", lens, snapshot: null, level: 0, sideBySide: false, at: 0.5 };
  }

  /** Of what was chosen, keep what is still there when there is something else to choose from. from: the set chosen before. */
  keep(from: string, newest: boolean): void {
    const kept = this.#of.ownSets.findIndex((set) => set.id === from);
    this.chooseSet(newest ? this.#of.ownSets.length - 1 : Math.max(0, kept));
    this.level = Math.min(this.level, this.#of.levels.length);
    this.chosen = new Set();
    this.parts = new Map();
    const names = new Set(this.#of.groups.map((g) => g.name));
    this.hidden = new Set([...this.hidden].filter((name) => names.has(name)));
    this.protect.groups = (this.protect.groups ?? []).filter((name) => names.has(name));
    if (this.compare && this.compare.level > this.#of.levels.length) this.compare = null;
  }
}
