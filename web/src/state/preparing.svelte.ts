/** What makes another mesh or another list of sets of a surface: plans, groups, sets, levels. */

import { meshForm } from "./intake";
import { answer, server } from "./server";
import type { Studio } from "./studio.svelte";
import { note, tell, tellError } from "./told";
import type { GroupEdit, JobNews, NewSet, Placing, PlanWish } from "./types";
import { Stopped, Upload } from "./upload.svelte";

export class Preparing {
  /** Long work under way on this surface, and what it made. */
  job = $state.raw<JobNews | null>(null);
  /** A planned mesh is shown instead of the surface's own. */
  planShown = $state(false);
  /** What Prepare should open with. */
  at = $state<"facts" | "size" | "refine" | "groups" | "levels" | "replace" | "neighbours">("facts");
  /** Wanted spacing in metres, as a remedy for too few sites under the brush. */
  wantedSpacing = $state<number | null>(null);
  /** A file on its way for a plan. */
  readonly upload = new Upload();
  uploading = $state(false);
  /** The set that comes next is the one to choose. */
  chooseNewest = false;

  constructor(private readonly studio: Studio) {}

  /** Too few sites under the brush: show where, and offer to refine so that it covers some thirty. */
  remedyGrain(): void {
    this.wantedSpacing = this.studio.brush.settings.radius / 3.5;
    this.at = "refine";
    this.studio.selection.side = "prepare";
    this.studio.selection.lens = "grain";
  }

  told(news: JobNews): void {
    if (this.job && this.job.id !== news.id && news.state !== "waiting" && news.state !== "running") return;
    if (news.state === "failed") {
      tell({ problem: news.problem ?? "", remedy: "Change the numbers and try again." });
      this.job = null;
    } else this.job = news.state === "cancelled" ? null : news;
  }

  /** Begin long work; news of it come over the socket. */
  async plan(wish: PlanWish): Promise<void> {
    try {
      await this.dropPlan();
      await answer(
        server.POST("/api/surfaces/{ident}/plans", {
          params: { path: { ident: this.studio.surface.id } },
          body: wish,
        }),
      );
    } catch (error) {
      tellError(error);
    }
  }

  async #planUpload(kind: string, form: FormData): Promise<void> {
    try {
      await this.dropPlan();
      this.uploading = true;
      await this.upload.post(`/api/surfaces/${this.studio.surface.id}/plans/${kind}`, form);
    } catch (error) {
      if (!(error instanceof Stopped)) tellError(error);
    } finally {
      this.uploading = false;
    }
  }

  planMesh(kind: "replacement" | "level", files: File[]): Promise<void> {
    return this.#planUpload(kind, meshForm(files));
  }

  planPicture(file: File, query: string): Promise<void> {
    const form = new FormData();
    form.append("file", file);
    return this.#planUpload(`picture${query}`, form);
  }

  async keepPlan(): Promise<void> {
    if (!this.job) return;
    const { id } = this.job;
    this.job = null;
    await this.#change(() => server.POST("/api/plans/{ident}/keep", { params: { path: { ident: id } } }));
  }

  async dropPlan(): Promise<void> {
    const job = this.job;
    this.job = null;
    this.planShown = false;
    if (job) await server.DELETE("/api/plans/{ident}", { params: { path: { ident: job.id } } });
  }

  /** A step over HTTP that the socket tells all windows about; what should be known about it is said. */
  async #change(
    request: () => Promise<{ data?: unknown; error?: unknown; response: Response }>,
  ): Promise<boolean> {
    this.studio.unsaved++;
    try {
      const kept = await answer<{ note?: string } | undefined>(request());
      if (kept?.note) note(kept.note);
      return true;
    } catch (error) {
      this.studio.unsaved = Math.max(0, this.studio.unsaved - 1);
      tellError(error);
      return false;
    }
  }

  changeGroups(edit: GroupEdit): Promise<boolean> {
    return this.#change(() =>
      server.POST("/api/surfaces/{ident}/groups", {
        params: { path: { ident: this.studio.surface.id } },
        body: edit,
      }),
    );
  }

  /** A group of the faces that are chosen, or on which the chosen channel holds any weight; its name, null for none. */
  async groupFaces(of: "chosen" | "painted", wish = ""): Promise<string | null> {
    const { studio } = this;
    const taken = studio.groups.map((group) => group.name);
    const stem = wish.trim().slice(0, 60) || "Faces";
    let name = stem;
    for (let i = 2; taken.includes(name); i++) name = `${stem.slice(0, 55)} ${i}`;
    const faces = {
      groups: [],
      picked: of === "chosen" ? [...studio.selection.chosen] : [],
      unit: "face" as const,
      painted: of === "painted" ? studio.selection.address : null,
    };
    studio.selection.tool = "brush";
    return (await this.changeGroups({ kind: "faces", name, faces })) ? name : null;
  }

  /** Make the surface larger or smaller, or stand it up another way, from how it is now. */
  place(body: Placing): Promise<boolean> {
    return this.#change(() =>
      server.POST("/api/surfaces/{ident}/placing", {
        params: { path: { ident: this.studio.surface.id } },
        body,
      }),
    );
  }

  /** Add a channel set; it is the chosen one once the surface has been loaded with it. */
  async addSet(body: NewSet): Promise<boolean> {
    this.chooseNewest = true;
    const done = await this.#change(() =>
      server.POST("/api/surfaces/{ident}/sets", {
        params: { path: { ident: this.studio.surface.id } },
        body,
      }),
    );
    if (!done) this.chooseNewest = false;
    return done;
  }

  removeSet(channelSet: string): Promise<boolean> {
    return this.#change(() =>
      server.DELETE("/api/surfaces/{ident}/sets/{channel_set}", {
        params: { path: { ident: this.studio.surface.id, channel_set: channelSet } },
      }),
    );
  }

  removeLevel(): Promise<boolean> {
    return this.#change(() =>
      server.DELETE("/api/surfaces/{ident}/levels", {
        params: { path: { ident: this.studio.surface.id } },
      }),
    );
  }

  restore(snapshot: string): Promise<boolean> {
    return this.#change(() =>
      server.POST("/api/surfaces/{ident}/snapshots/{snapshot}/restore", {
        params: { path: { ident: this.studio.surface.id, snapshot } },
      }),
    );
  }
}
