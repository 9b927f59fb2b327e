/** What stands around the surface, and where. */

import { answer, server } from "./server";
import { tellError } from "./told";
import type { Neighbour, SurroundingsView } from "./types";
import { DocumentWriter } from "./writer.svelte";

export class Around {
  neighbours = $state.raw<Neighbour[]>([]);
  /** Of the origin of each, in metres of the surface, as the server finds the ground there. */
  places = $state.raw<[number, number, number][]>([]);
  /** Names of what may stand here, by id. */
  others = $state.raw<Record<string, string>>({});
  #writer: DocumentWriter<Neighbour[], SurroundingsView>;

  constructor(private readonly surface: string) {
    this.#writer = new DocumentWriter<Neighbour[], SurroundingsView>(
      0,
      (revision, neighbours) =>
        answer<SurroundingsView>(
          server.PUT("/api/surfaces/{ident}/surroundings", {
            params: { path: { ident: surface } },
            body: { revision, document: { neighbours } },
          }),
        ),
      (view, waiting) => {
        if (!waiting) this.#take(view);
      },
      () => void this.load(),
    );
    void this.load();
  }

  #take(view: SurroundingsView): void {
    this.neighbours = view.document.neighbours;
    this.places = view.places;
    this.others = view.others;
  }

  /** Raised ground may have moved what stands on it. */
  async load(): Promise<void> {
    try {
      const view = await answer<SurroundingsView>(
        server.GET("/api/surfaces/{ident}/surroundings", { params: { path: { ident: this.surface } } }),
      );
      if (this.#writer.pending) return;
      this.#writer.revision = view.revision;
      this.#take(view);
    } catch (error) {
      tellError(error);
    }
  }

  changed(revision: number): void {
    if (revision > this.#writer.revision) void this.load();
  }

  write(neighbours: Neighbour[]): void {
    this.neighbours = neighbours;
    this.#writer.write(neighbours);
  }
}
