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
  type SurfaceView,
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

export class Selection {
  surface = $state.raw<SurfaceView>(null!);
  sets = $state<ChannelSetView[]>([]);

  /** Number of the chosen set; on a lower level the one that follows it is painted. */
  activeSet = $state(0);
  activeChannel = $state(0);
  #openLayer = $state<string | null>(null);
  lens = $state<Lens>("blend");
  /** Which term of the recipe on the right side is open; the Term lens shows it. */
  openTerm = $state(0);
  /** The layer that is looked at alone. */
  solo = $state<string | null>(null);
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

  constructor(surface: SurfaceView) {
    this.surface = surface;
    this.sets = surface.channel_sets;
  }

  /** Sets that an artist chooses from: those of level 0 and of the map. */
  get ownSets(): ChannelSetView[] {
    return this.sets.filter((set) => set.sites.kind !== "vertices" || !set.sites.follows);
  }

  /** The set chosen, as the layers know it. */
  get baseSet(): ChannelSetView {
    return this.ownSets[this.activeSet] ?? this.ownSets[0]!;
  }

  /** The set that is painted: the chosen one, or the one that follows it on the level shown. */
  get set(): ChannelSetView {
    return this.sets[this.numberOn(this.level)] ?? this.baseSet;
  }

  /** The number in frames of the chosen set, or of the one that follows it on a level. */
  numberOn(level: number): number {
    const base = this.baseSet;
    const follower = this.sets.findIndex(
      ({ sites }) => sites.kind === "vertices" && sites.follows === base.id && sites.level === level,
    );
    return level === 0 || follower < 0 ? this.sets.findIndex((set) => set.id === base.id) : follower;
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

  get levels(): { name: string; vertices: number; triangles: number; old?: boolean }[] {
    return (this.surface.facts["levels"] as Selection["levels"] | undefined) ?? [];
  }

  get groups(): { name: string; first: number; triangles: number; hard: boolean }[] {
    return (this.surface.facts["groups"] as Selection["groups"] | undefined) ?? [];
  }

  get channel(): ChannelDocument {
    return this.set.document.channels[this.activeChannel]!;
  }

  /** Every channel of every set, to choose one from. */
  get channelChoices(): { value: string; name: string }[] {
    const named = this.ownSets.length > 1;
    return this.ownSets.flatMap((set) =>
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

  /** Take up a surface whose mesh or list of sets is another one, and keep of the choice what is left. */
  takeUp(surface: SurfaceView, newest: boolean): void {
    const before = this.baseSet.id;
    this.surface = surface;
    this.sets = surface.channel_sets;
    const kept = this.ownSets.findIndex((set) => set.id === before);
    this.chooseSet(newest ? this.ownSets.length - 1 : Math.max(0, kept));
    this.level = Math.min(this.level, this.levels.length);
    this.chosen = new Set();
    this.parts = new Map();
    const names = new Set(this.groups.map((g) => g.name));
    this.hidden = new Set([...this.hidden].filter((name) => names.has(name)));
    this.protect.groups = (this.protect.groups ?? []).filter((name) => names.has(name));
    if (this.compare && this.compare.level > this.levels.length) this.compare = null;
  }
}
