/** Everything on the start page: projects, the open one, the bin, and a mesh on its way in. */

import { toast } from "svelte-sonner";

import { areHeights, lookAt, lookAtHeights, takeHeights, takeMesh } from "./intake";
import { route } from "./route.svelte";
import { answer, Failure, server } from "./server";
import { tellError } from "./told";
import type {
  BinView,
  Imported,
  Looked,
  LookedHeights,
  Placing,
  ProjectSummary,
  ProjectView,
  Taking,
  Told,
} from "./types";
import { Stopped, Upload } from "./upload.svelte";

export type Kind = "project" | "surface";

export class Projects {
  all = $state<ProjectSummary[] | null>(null);
  open = $state<ProjectView | null>(null);
  bin = $state<BinView | null>(null);
  /** The files being sent, by the name of the first. */
  sending = $state<string | null>(null);
  readonly upload = new Upload();
  /** A mesh that waits for its size to be agreed to. */
  looked = $state.raw<Looked | null>(null);
  lookedHeights = $state.raw<LookedHeights | null>(null);
  taking = $state(false);
  refused = $state<(Told & { file: string }) | null>(null);

  /** Settled when what was last asked for is here. */
  #loaded: Promise<void> = Promise.resolve();

  load(choose?: string): Promise<void> {
    return (this.#loaded = this.#load(choose));
  }

  async #load(choose?: string): Promise<void> {
    try {
      this.all = await answer<ProjectSummary[]>(server.GET("/api/projects"));
      this.bin = await answer<BinView>(server.GET("/api/bin"));
      const wanted = [choose, this.open?.id, route.project, this.all[0]?.id].find((id) =>
        this.all!.some((p) => p.id === id),
      );
      if (wanted) await this.show(wanted);
      else this.open = null;
      // The address says which project is open, for the way back.
      if (choose || (route.project && route.project !== wanted)) {
        route.go(wanted ? `/project/${wanted}` : "/");
      }
    } catch (error) {
      tellError(error);
      this.all ??= [];
    }
  }

  async show(ident: string): Promise<void> {
    this.open = await answer<ProjectView>(
      server.GET("/api/projects/{ident}", { params: { path: { ident } } }),
    );
  }

  /** Do something over HTTP, then look at everything anew; what goes wrong is shown. */
  async #then(work: () => Promise<string | undefined>): Promise<void> {
    try {
      await this.load(await work());
    } catch (error) {
      tellError(error);
    }
  }

  async #made(name: string): Promise<string> {
    return (await answer<ProjectSummary>(server.POST("/api/projects", { body: { name } }))).id;
  }

  create = (name: string) => this.#then(() => this.#made(name));

  rename = (ident: string, name: string) =>
    this.#then(async () => {
      await answer(server.PATCH("/api/projects/{ident}", { params: { path: { ident } }, body: { name } }));
      return undefined;
    });

  renameSurface = (ident: string, name: string) =>
    this.#then(async () => {
      await answer(server.PATCH("/api/surfaces/{ident}", { params: { path: { ident } }, body: { name } }));
      return undefined;
    });

  copy = (project: ProjectSummary) =>
    this.#then(async () => {
      const made = await answer<ProjectSummary>(
        server.POST("/api/projects/{ident}/copy", {
          params: { path: { ident: project.id } },
          body: { name: `${project.name.slice(0, 55)} copy` },
        }),
      );
      return made.id;
    });

  /** Into the bin; the way back is beside the word of it. */
  remove = (kind: Kind, ident: string, name: string) =>
    this.#then(async () => {
      const params = { params: { path: { ident } } };
      if (kind === "project") await answer(server.DELETE("/api/projects/{ident}", params));
      else await answer(server.DELETE("/api/surfaces/{ident}", params));
      toast.message(`${name} is in the bin.`, {
        duration: 12_000,
        action: { label: "Undo", onClick: () => void this.restore(kind, ident) },
      });
      return undefined;
    });

  restore = (kind: Kind, ident: string) =>
    this.#then(async () => {
      await answer(server.POST("/api/bin/{kind}/{ident}/restore", { params: { path: { kind, ident } } }));
      return kind === "project" ? ident : undefined;
    });

  emptyBin = () =>
    this.#then(async () => {
      await answer(server.DELETE("/api/bin"));
      return undefined;
    });

  /** A mesh or heights were dropped or chosen: send them; a mesh is taken where its size is beyond doubt. */
  async bring(files: File[]): Promise<void> {
    const first = files[0];
    if (!first || this.sending || this.taking) return;
    this.sending = files.length > 1 ? `${first.name} and ${files.length - 1} more` : first.name;
    this.refused = null;
    try {
      if (await areHeights(files)) {
        this.lookedHeights = await lookAtHeights(files, this.upload);
        return;
      }
      const looked = await this.#lookAtMesh(files);
      if (!looked) return;
      this.sending = null;
      if (looked.certain && looked.usual) await this.take(looked, looked.guess as Placing);
      else this.looked = looked;
    } catch (error) {
      this.#refuse(error, first.name);
    } finally {
      this.sending = null;
    }
  }

  /** What a mesh is; null where a zip holds heights. A bundle of a terrain has a mesh in it, too. */
  async #lookAtMesh(files: File[]): Promise<Looked | null> {
    if (files.length === 1 && files[0]!.name.toLowerCase().endsWith(".zip")) {
      try {
        this.lookedHeights = await lookAtHeights(files, this.upload);
        return null;
      } catch (error) {
        if (error instanceof Stopped) throw error;
      }
    }
    return lookAt(files, this.upload);
  }

  take = (looked: Looked, placing: Placing) =>
    this.#take(looked.name, (project) => takeMesh(project, looked, placing));

  takeHeights = (looked: LookedHeights, taking: Taking) =>
    this.#take(looked.name, (project) => takeHeights(project, looked, taking));

  async #take(name: string, taken: (project: string) => Promise<Imported>): Promise<void> {
    this.taking = true;
    try {
      // A file may be dropped before the projects are here: it belongs to the one that will be open.
      await this.#loaded;
      const imported = await taken(this.open?.id ?? (await this.#made("First project")));
      route.go(`/surface/${imported.id}`);
    } catch (error) {
      this.#refuse(error, name);
    } finally {
      this.looked = this.lookedHeights = null;
      this.taking = false;
    }
  }

  #refuse(error: unknown, file: string): void {
    if (error instanceof Failure) this.refused = { problem: error.problem, remedy: error.remedy, file };
    else if (!(error instanceof Stopped)) tellError(error);
  }
}
