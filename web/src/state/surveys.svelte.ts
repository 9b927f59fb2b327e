/** Measures under way for undercoats of a surface, what fits it, and a look at what is not run yet. */

import { Draft } from "./draft.svelte";
import { answer, server } from "./server";
import type { Studio } from "./studio.svelte";
import { tell, tellError } from "./told";
import type { ChannelAddress, Fitting, JobNews, Recipe } from "./types";

const keyOf = ({ channel_set, channel }: ChannelAddress): string => `${channel_set}/${channel}`;

export interface NamedChannel {
  name: string;
  on: ChannelAddress;
}

export class Surveys {
  /** Jobs under way, by the channel that they are for. */
  #jobs = $state.raw<ReadonlyMap<string, JobNews>>(new Map());
  fitting = $state.raw<Fitting | null>(null);
  /** How many have ended: what is drawn from measures may be asked for again. */
  ended = $state(0);
  /** A look that has been asked for and not been answered, and the one that waits behind it. */
  #looking = false;
  #next: { on: ChannelAddress; recipe: Recipe; bare: boolean } | null = null;
  /** Channels whose measures were stopped since something was asked for them last. */
  readonly #stopped = new Set<string>();
  readonly draft = new Draft((on, recipe) => {
    if (this.studio.live.connection !== "ready") return false;
    this.run(on, recipe);
    return true;
  });

  constructor(private readonly studio: Studio) {}

  of(on: ChannelAddress): JobNews | null {
    return this.#jobs.get(keyOf(on)) ?? null;
  }

  #channels(wanted: (on: ChannelAddress) => boolean): NamedChannel[] {
    const { ownSets } = this.studio;
    return ownSets.flatMap(({ id, document }) =>
      document.channels.flatMap((member, channel) => {
        const on = { channel_set: id, channel };
        const name = ownSets.length > 1 ? `${member.name} (${document.name})` : member.name;
        return wanted(on) ? [{ name, on }] : [];
      }),
    );
  }

  /** Channels of the surface whose undercoats would come out another now. */
  get stale(): NamedChannel[] {
    const { statistics } = this.studio;
    return this.#channels(
      ({ channel_set, channel }) => statistics?.channels[channel_set]?.[channel]?.stale ?? false,
    );
  }

  /** Channels that something is measured for. */
  get underWay(): NamedChannel[] {
    return this.#channels((on) => this.of(on) !== null);
  }

  told(news: JobNews): void {
    const key = keyOf(news.facts as unknown as ChannelAddress);
    const jobs = new Map(this.#jobs);
    if (news.state === "waiting" || news.state === "running") {
      if (this.#stopped.has(key) && jobs.get(key)?.id !== news.id) void this.#drop(news);
      jobs.set(key, news);
    } else {
      if (jobs.get(key)?.id === news.id) jobs.delete(key);
      this.ended++;
      if (news.state !== "done") this.draft.refused();
      if (news.state === "failed")
        tell({ problem: news.problem ?? "", remedy: "Change its settings, and run it again." });
    }
    this.#jobs = jobs;
  }

  /** Another conversation with the server: it tells anew what is under way. */
  forget(): void {
    this.#jobs = new Map();
    this.#stopped.clear();
    this.#looking = false;
    this.#next = null;
    void this.load();
  }

  async load(): Promise<void> {
    const path = { ident: this.studio.surface.id };
    try {
      this.fitting = await answer<Fitting>(server.GET("/api/surfaces/{ident}/fitting", { params: { path } }));
    } catch (error) {
      tellError(error);
    }
  }

  /** Have a channel's undercoat worked out by a recipe, its own one, or a layer's mask. */
  run(on: ChannelAddress, recipe: Recipe | null): void {
    this.enough();
    this.#stopped.delete(keyOf(on));
    this.studio.send({ type: "measure", on, recipe, layer: null });
  }

  /** An edit of an undercoat: seen at once where its measures are there. isShown: it is looked at in another way. */
  edit(on: ChannelAddress, recipe: Recipe, isShown: boolean): void {
    if (this.draft.edit(on, recipe) && !isShown) this.look(on, recipe);
  }

  /** Take back an edit that has not been run; false for none. */
  takeBack(): boolean {
    if (!this.draft.waits) return false;
    this.draft.drop();
    this.enough();
    if (this.studio.live.connection === "ready") this.studio.live.send({ type: "end_preview" });
    return true;
  }

  /** Stop what is under way for a channel, and what has been asked for it and is not under way yet. */
  async stop(on: ChannelAddress): Promise<void> {
    const job = this.of(on);
    this.#stopped.add(keyOf(on));
    if (job) await this.#drop(job);
  }

  async #drop({ id }: JobNews): Promise<void> {
    await server.DELETE("/api/plans/{ident}", { params: { path: { ident: id } } });
  }

  /** Have what waits for its turn be the next. */
  async hurry(on: ChannelAddress): Promise<void> {
    const job = this.of(on);
    if (job) await server.POST("/api/plans/{ident}/next", { params: { path: { ident: job.id } } });
  }

  /** See a channel on a recipe, by measures that are there; one at a time, the latest of those that wait. bare: the
   * recipe alone, without paint. */
  look(on: ChannelAddress, recipe: Recipe, bare = false): void {
    this.#next = { on, recipe, bare };
    if (!this.#looking) this.#ask();
  }

  /** The window has been shown what it asked for. */
  shown(): void {
    this.#looking = false;
    this.#ask();
  }

  /** A step comes behind: nothing that waits is looked at any more. */
  enough(): void {
    this.#next = null;
  }

  #ask(): void {
    if (!this.#next) return;
    const asked = this.#next;
    this.#next = null;
    this.#looking = this.studio.live.connection === "ready";
    if (this.#looking) this.studio.live.send({ type: "look_undercoat", ...asked });
  }
}
