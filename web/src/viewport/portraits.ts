/** Small pictures of the surface, taken when the screen shows it: of every step, and of how it was last seen. */

import { answer, server } from "../state/server";
import type { Studio } from "../state/studio.svelte";
import type { ChannelAddress, HistoryView } from "../state/types";
import type { View } from "./programs";
import type { Sceneries } from "./sceneries.svelte";
import type { Scenery } from "./scenery";
import type { Viewport } from "./viewport";

/** So long nothing moves before the last view is kept, and before steps without a picture get theirs. */
const REST = 1500;
const VIEW: View = { lens: "blend", set: 0, channel: 0, range: [0.01, 1], program: null };
/** Of the newest steps, those that may be drawn later. */
const DRAWN_LATER = 24;

export class Portraits {
  #taken = 0;
  #resting: ReturnType<typeof setTimeout> | undefined;
  #seen: Viewport | null = null;
  #looked = -1;

  constructor(
    private readonly studio: Studio,
    private readonly sceneries: () => Sceneries | null,
  ) {}

  get #hindered(): boolean {
    const { studio } = this;
    return studio.preparing.planShown || studio.painting.previewing || studio.painting.active;
  }

  /** The screen shows everything there is. */
  async take(viewport: Viewport): Promise<void> {
    this.#rest(viewport);
    const { studio } = this;
    const { steps } = studio;
    const newest = studio.history.at;
    if (steps === this.#taken || newest === 0 || this.#hindered) return;
    this.#taken = steps;
    const picture = await viewport.aside.thumbnail(120, 75, null, this.#viewOf(viewport, studio.history.on));
    if (!picture) return;
    await put(this.#step(newest), picture);
    studio.pictures++;
  }

  /** What shows a step: its channel where nothing in the blend tells of it, else the blend. */
  #viewOf(viewport: Viewport, on: ChannelAddress | null, of?: Scenery): View {
    const { studio } = this;
    const set = studio.sets.findIndex(({ id }) => id === on?.channel_set);
    if (!on || set < 0 || studio.sets[set]!.sites.kind === "corners" || studio.documents.seen(on))
      return VIEW;
    const alone: View = { ...VIEW, lens: "channel", set, channel: on.channel };
    // A set may lie on another level, or on a map, which a step of before has not.
    return viewport.aside.has(alone, of) ? alone : VIEW;
  }

  #step(number: number): string {
    return `/api/surfaces/${this.studio.surface.id}/steps/${number}/picture`;
  }

  #rest(viewport: Viewport): void {
    clearTimeout(this.#resting);
    this.#seen = viewport;
    this.#resting = setTimeout(() => void this.#idle(viewport), REST);
  }

  async #idle(viewport: Viewport): Promise<void> {
    await this.leave();
    await this.#drawMissing(viewport).catch(() => {});
  }

  /** Steps that came faster than the screen have none yet: draw one of them while nothing goes on. */
  async #drawMissing(viewport: Viewport): Promise<void> {
    const { studio } = this;
    if (
      studio.selection.side !== "history" ||
      studio.selection.level > 0 ||
      this.#looked === studio.steps ||
      this.#hindered
    )
      return;
    const ident = studio.surface.id;
    const history = await answer<HistoryView>(
      server.GET("/api/surfaces/{ident}/history", { params: { path: { ident } } }),
    );
    const without = history.steps.slice(-DRAWN_LATER).filter((step) => !step.picture);
    for (const step of without.reverse()) {
      const found = await this.sceneries()?.ofStep(step.number);
      if (!found || this.#hindered || studio.surface.id !== ident) return;
      const picture = await viewport.aside.thumbnail(120, 75, found, this.#viewOf(viewport, step.on, found));
      if (picture) await put(this.#step(step.number), picture);
    }
    this.#looked = studio.steps;
    if (without.length) studio.pictures++;
  }

  /** Keep how the surface is looked at now. */
  async leave(): Promise<void> {
    clearTimeout(this.#resting);
    const { studio } = this;
    const viewport = this.#seen;
    this.#seen = null;
    if (!viewport || this.#hindered) return;
    const picture = await viewport.aside.thumbnail(320, 200);
    if (picture) await put(`/api/surfaces/${studio.surface.id}/view`, picture);
  }
}

async function put(path: string, picture: Blob): Promise<void> {
  await fetch(path, { method: "PUT", body: picture, keepalive: true }).catch(() => {});
}
