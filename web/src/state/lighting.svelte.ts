/** What the surface is looked at under: a light of this window's own, kept with the surface as it was last. */

import { toast } from "svelte-sonner";

import { parseFalling, type Falling } from "./falling";
import { answer, bytesOf, server } from "./server";
import type { Studio } from "./studio.svelte";
import { tellError } from "./told";
import type { KeptLight, Light, Sight, Sky, Stand } from "./types";

/** So long nothing changes before how the surface is looked at is kept. */
const REST = 800;
/** What of a light has no part in what falls: it can change without asking. */
const SHOWN_ONLY = ["azimuth", "follows", "shadows", "exposure", "tone", "view", "angle"] as const;
const TOLD_FOR = 4000;
/** No sky and no shadows, for what only asks what a picture shows of values; and where every frame counts. */
export const PLAIN = localStorage.getItem("ash.light") === "plain";

const asked = (light: Light) =>
  JSON.stringify({ ...light, ...Object.fromEntries(SHOWN_ONLY.map((k) => [k, 0])) });

export class Lighting {
  /** None before the server has said how the surface was looked at. */
  light = $state.raw<Light | null>(null);
  falling = $state.raw<Falling | null>(null);
  skies = $state.raw<Sky[]>([]);
  kept = $state.raw<KeptLight[]>([]);
  /** Where the key light stands is told while it is moved. */
  told = $state(false);
  /** What falls is that of the light, and no other is asked for. */
  settled = $state(false);
  /** Where the surface was seen from when that was kept last. */
  #stand: Stand | null = null;
  #known = new Map<string, Falling>();
  #asking = false;
  #saving: ReturnType<typeof setTimeout> | undefined;
  #telling: ReturnType<typeof setTimeout> | undefined;

  constructor(private readonly studio: Studio) {
    void this.#load();
  }

  get #surface() {
    return { params: { path: { ident: this.studio.surface.id } } };
  }

  get #project() {
    return { params: { path: { project: this.studio.surface.project } } };
  }

  async #load(): Promise<void> {
    try {
      const sight = await answer<Sight>(server.GET("/api/surfaces/{ident}/sight", this.#surface));
      this.light = sight.light ?? null;
      this.#stand = this.studio.stand = sight.stand ?? null;
      if (PLAIN) {
        this.settled = true;
        return;
      }
      void this.#ask();
      this.skies = await answer<Sky[]>(server.GET("/api/skies"));
      await this.#list();
    } catch (error) {
      this.settled = true;
      tellError(error);
    }
  }

  async #list(): Promise<void> {
    this.kept = await answer<KeptLight[]>(server.GET("/api/projects/{project}/lights", this.#project));
  }

  /** Look at it under another light; what that gives follows as soon as it is worked out. */
  set(change: Partial<Light>): void {
    if (!this.light) return;
    this.light = { ...this.light, ...change };
    void this.#ask();
    this.save();
  }

  /** Another sky, with what is usual under it. */
  chooseSky(sky: Sky): void {
    this.set({ strength: 0, warmth: 0, ...sky.first, sky: sky.kind as NonNullable<Light["sky"]> });
  }

  /** Turn the key light: dx, dy as shares of a circle's radius over the dome, or degrees. */
  turn(azimuth: number, tilt: number): void {
    this.set({ azimuth: ((azimuth % 360) + 360) % 360, tilt: Math.min(90, Math.max(-12, tilt)) });
    this.told = true;
    clearTimeout(this.#telling);
    this.#telling = setTimeout(() => (this.told = false), TOLD_FOR);
  }

  /** One request at a time; the newest light is always asked for in the end. */
  async #ask(): Promise<void> {
    if (this.#asking || !this.light || PLAIN) return;
    this.#asking = true;
    this.settled = false;
    try {
      for (;;) {
        const wanted = asked(this.light);
        const found = this.#known.get(wanted) ?? (await this.#fetched(this.light));
        this.#known.delete(wanted);
        this.#known.set(wanted, found);
        if (this.#known.size > 24) this.#known.delete(this.#known.keys().next().value!);
        this.falling = found;
        if (asked(this.light) === wanted) break;
      }
    } catch (error) {
      tellError(error);
    }
    this.#asking = false;
    this.settled = true;
  }

  async #fetched(light: Light): Promise<Falling> {
    const path = `/api/surfaces/${this.studio.surface.id}/falling`;
    return parseFalling(await bytesOf(path, light));
  }

  /** The surface's own colour, which comes back from below, may be another now. */
  forget(): void {
    this.#known.clear();
    void this.#ask();
  }

  /** Keep how the surface is looked at, once nothing changes any more. */
  save(): void {
    // Once the surface is left, nobody can say where it was seen from.
    this.#stand = this.studio.eye.stand() ?? this.#stand;
    clearTimeout(this.#saving);
    this.#saving = setTimeout(() => void this.#keepSight(), REST);
  }

  async #keepSight(): Promise<void> {
    if (!this.light) return;
    const body = { light: this.light, stand: this.#stand };
    // The next change is kept again; nobody waits for this.
    await server.PUT("/api/surfaces/{ident}/sight", { ...this.#surface, body }).catch(() => {});
  }

  /** Keep this light for the whole project. */
  async keep(name: string): Promise<void> {
    if (!this.light) return;
    try {
      const body = { name, light: this.light };
      await answer(server.POST("/api/projects/{project}/lights", { ...this.#project, body }));
      await this.#list();
    } catch (error) {
      tellError(error);
    }
  }

  async remove(gone: KeptLight): Promise<void> {
    try {
      await answer(server.DELETE("/api/lights/{ident}", { params: { path: { ident: gone.id } } }));
      await this.#list();
      toast.message(`The light ${gone.name} is not kept any more.`, {
        action: {
          label: "Keep it",
          onClick: () =>
            void answer(
              server.POST("/api/projects/{project}/lights", {
                ...this.#project,
                body: { name: gone.name, light: gone.light },
              }),
            ).then(() => this.#list(), tellError),
        },
      });
    } catch (error) {
      tellError(error);
    }
  }

  /** The number of the kept light that this is. */
  get at(): number {
    const now = this.light;
    if (!now) return -1;
    const keys = Object.keys(now) as (keyof Light)[];
    return this.kept.findIndex(({ light }) => keys.every((key) => light[key] === now[key]));
  }

  /** Look at it under the next of the project's lights. */
  next(): void {
    const following = this.kept[(this.at + 1) % Math.max(1, this.kept.length)];
    if (following) this.use(following);
    else toast.message("No light is kept yet.", { description: "Keep one in the card under the dome." });
  }

  use({ light, name }: KeptLight): void {
    this.set(light);
    toast.message(`Light: ${name}`, { duration: 2000 });
  }
}
