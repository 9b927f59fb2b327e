/** Surfaces that are drawn beside the one that is painted: each fetched and built once, however often it stands there. */

import { Sphere, type Material } from "three";

import { parseArrays } from "../state/arrays";
import { splitFrames } from "../state/frames";
import { PLAIN } from "../state/lighting.svelte";
import { answer, bytes, server } from "../state/server";
import type { MaterialView, SurfaceView } from "../state/types";
import { parseGeometry, type SurfaceGeometry } from "./geometry";
import type { Illumination, Own } from "./light/illumination";
import { Programs, type Link } from "./programs";
import { Scenery } from "./scenery";
import { sourcesFor } from "./values";

interface Fetched {
  view: SurfaceView;
  geometry: SurfaceGeometry;
  values: ArrayBuffer;
  /** How much of the sky it hides from its own places; null where nobody needs to know. */
  closed: ArrayBuffer | null;
}

async function fetched(ident: string): Promise<Fetched> {
  const params = { path: { ident } };
  const [view, geometry, values, closed] = await Promise.all([
    answer<SurfaceView>(server.GET("/api/surfaces/{ident}", { params })),
    bytes(`/api/surfaces/${ident}/geometry`),
    bytes(`/api/surfaces/${ident}/values`),
    PLAIN ? null : bytes(`/api/surfaces/${ident}/closed`),
  ]);
  return { view, geometry: parseGeometry(geometry), values, closed };
}

/** A surface with its arrays, values, textures and programs. */
export class Piece {
  readonly scenery: Scenery;
  readonly #programs: Programs;

  constructor(
    { view, geometry, values, closed }: Fetched,
    materials: MaterialView[],
    onChange: () => void,
    link: Link,
    light: Illumination,
  ) {
    const sets = view.channel_sets;
    const own = geometry.geometry.attributes["position"]!.count - geometry.extras.length;
    const sources = sourcesFor(sets, () => own);
    for (const frame of splitFrames(values)) sources[frame.set]?.apply(frame);
    this.scenery = new Scenery(
      geometry,
      sets.map((set, i) => (set.sites.kind === "vertices" && set.sites.level ? null : sources[i]!)),
    );
    if (closed) {
      const { head, at } = parseArrays<{ size: [number, number] }>(closed);
      this.scenery.closed = new Uint8Array(closed, at(0), head.size[0] * head.size[1]);
    }
    this.#programs = new Programs(sets, null, onChange, link, onChange, light);
    const { compiled, document } = view.blend;
    this.#programs.fit([this.scenery], {
      compiled: { blend: compiled, from: document },
      document,
      materials,
    });
  }

  get waiting(): boolean {
    return this.#programs.waiting;
  }

  /** Where eye and light are told, in its own metres. */
  get own(): Own {
    return this.#programs.own;
  }

  /** What it hides of the light with. */
  get hiding(): Material {
    return this.#programs.hidingFor(this.scenery);
  }

  sharpen(anisotropy: number): void {
    this.#programs.sharpen(anisotropy);
  }

  /** What it is drawn with in the Blend lens; null while that is built. */
  material(): Material | null {
    const view = { lens: "blend" as const, set: 0, channel: 0, program: null };
    return this.#programs.materialFor(this.scenery, { ...view, range: [0, 1] }, true) as Material | null;
  }

  /** What it lies in, in its own metres. */
  get bounds(): Sphere {
    return this.scenery.bounds;
  }

  dispose(): void {
    this.#programs.dispose();
    for (const source of this.scenery.sources) source?.dispose();
    this.scenery.dispose();
  }
}

export class Stock {
  readonly #pieces = new Map<string, Promise<Piece>>();

  constructor(
    private readonly onChange: () => void,
    private readonly link: Link,
    private readonly light: Illumination,
  ) {}

  /** A surface by its id, built when it is asked for first. */
  piece(surface: string, materials: MaterialView[]): Promise<Piece> {
    const known =
      this.#pieces.get(surface) ??
      fetched(surface).then((found) => new Piece(found, materials, this.onChange, this.link, this.light));
    this.#pieces.set(surface, known);
    // What could not be fetched is asked for again the next time.
    known.catch(() => this.#pieces.delete(surface));
    return known;
  }

  /** Let go of all but these. */
  keepOnly(surfaces: ReadonlySet<string>): void {
    for (const [surface, piece] of this.#pieces) {
      if (surfaces.has(surface)) continue;
      this.#pieces.delete(surface);
      void piece.then(
        (found) => found.dispose(),
        () => {},
      );
    }
  }
}
