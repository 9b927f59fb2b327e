/** The meshes that a viewport may show beside or instead of the surface's own, each fetched once. */

import { parseArrays } from "../state/arrays";
import { splitFrames } from "../state/frames";
import { bytes } from "../state/server";
import type { Studio } from "../state/studio.svelte";
import { parseGeometry } from "./geometry";
import type { Scenery } from "./scenery";
import { SetValues } from "./values";
import type { Viewport } from "./viewport";

export class Sceneries {
  /** How many are on their way. */
  fetching = $state(0);
  /** How many are not known yet by how much of the sky they hide. */
  closing = $state(0);
  readonly #closed = new Set<number>();
  #known: Map<string, Promise<Scenery>>;

  constructor(
    private readonly studio: Studio,
    private readonly viewport: Viewport,
  ) {
    this.#known = new Map([["level0", Promise.resolve(viewport.scenery)]]);
  }

  #once(key: string, make: () => Promise<Scenery>): Promise<Scenery> {
    let found = this.#known.get(key);
    if (!found) {
      this.fetching++;
      found = make().finally(() => this.fetching--);
      this.#known.set(key, found);
    }
    return found;
  }

  get #path(): string {
    return `/api/surfaces/${this.studio.surface.id}`;
  }

  ofLevel(level: number): Promise<Scenery> {
    return this.#once(`level${level}`, async () => {
      const surface = parseGeometry(await bytes(`${this.#path}/geometry?level=${level}`));
      return this.viewport.sceneryFor(surface, level);
    });
  }

  /** How much of the sky the shape hides, for a level that is shown. It comes after the first whole picture. */
  async close(level: number): Promise<void> {
    if (this.#closed.has(level)) return;
    this.#closed.add(level);
    this.closing++;
    try {
      const data = await bytes(`${this.#path}/closed?level=${level}`);
      const { head, at } = parseArrays<{ size: [number, number] }>(data);
      const [cols, rows] = head.size;
      const values = new Uint8Array(data, at(0), cols * rows);
      const { ground } = this.viewport;
      const scenery = ground ? null : await this.ofLevel(level);
      ground?.shade(values, cols, rows);
      // It may have been taken by another mesh meanwhile.
      if (scenery && values.length === scenery.geometry.attributes["position"]!.count)
        scenery.closed = values;
      this.viewport.invalidate();
    } finally {
      this.closing--;
    }
  }

  /** Level 0 sources filled from frames that the server made for another mesh or another time. */
  async #valuesOn(path: string, sites: number): Promise<(SetValues | null)[]> {
    const sources = this.studio.sets.map((set) =>
      set.sites.kind === "vertices" && !set.sites.level ? new SetValues(sites) : null,
    );
    for (const frame of splitFrames(await bytes(path))) sources[frame.set]?.apply(frame);
    return sources;
  }

  ofPlan(id: string): Promise<Scenery> {
    return this.#once(`plan${id}`, async () => {
      const surface = parseGeometry(await bytes(`/api/plans/${id}/geometry`));
      const sites = surface.geometry.attributes["position"]!.count - surface.extras.length;
      return this.viewport.sceneryFor(surface, 0, await this.#valuesOn(`/api/plans/${id}/values`, sites));
    });
  }

  ofSnapshot(id: string): Promise<Scenery> {
    return this.#once(`snapshot${id}`, async () => {
      const own = await this.ofLevel(0);
      const sources = await this.#valuesOn(`${this.#path}/snapshots/${id}/values`, own.sites);
      const geometry = own.geometry.clone();
      geometry.setIndex(own.geometry.index);
      return this.viewport.sceneryFor(
        { geometry, facts: own.facts, extras: own.extras, terrain: null },
        0,
        sources,
      );
    });
  }

  /** Level 0 as it was after a step, for one picture of it. */
  async ofStep(number: number): Promise<Scenery> {
    const own = await this.ofLevel(0);
    const sources = await this.#valuesOn(`${this.#path}/steps/${number}/values`, own.sites);
    const geometry = own.geometry.clone();
    geometry.setIndex(own.geometry.index);
    return this.viewport.sceneryFor(
      { geometry, facts: own.facts, extras: own.extras, terrain: null },
      0,
      sources,
    );
  }

  /** Grain is worked out and fetched only when somebody looks at it. */
  async withGrain(level: number): Promise<void> {
    const found = await this.ofLevel(level);
    if (found.geometry.attributes["grain"]) return;
    this.fetching++;
    try {
      const data = await bytes(`${this.#path}/grain?level=${level}`);
      found.setLengths("grain", new Float32Array(data));
      this.viewport.invalidate();
    } finally {
      this.fetching--;
    }
  }
}
