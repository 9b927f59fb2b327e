/** One open surface: its documents, its live connection, what the artist has chosen. */

import { BrushState } from "./brush.svelte";
import type { Frame } from "./frames";
import * as layers from "./layers";
import type { Lens } from "./lenses";
import { Live } from "./live.svelte";
import { answer, bytes, post, server } from "./server";
import { tell, tellError } from "./told";
import type {
  AnyFill,
  BlendDocument,
  BlendView,
  ChannelAddress,
  ChannelDocument,
  ChannelSetDocument,
  ChannelSetView,
  CompiledBlend,
  CoreSample,
  CoverLayer,
  FaceChoice,
  FaceUnit,
  GroupAct,
  HistoryState,
  JobNews,
  MaterialView,
  NewSet,
  PlanWish,
  PointerSample,
  ProjectView,
  Protection,
  SnapshotView,
  Statistics,
  StencilView,
  SurfaceView,
  ToWindow,
} from "./types";
import { DocumentWriter } from "./writer";

export type Tool = "brush" | "faces" | "gradient" | "choose";
export type Side = "blend" | "fills" | "prepare" | "history";

/** What the second picture shows, beside the divider. */
export interface Compare {
  kind: "lens" | "snapshot" | "level";
  lens: Lens;
  snapshot: SnapshotView | null;
  level: number;
  sideBySide: boolean;
  at: number;
}

export class Studio {
  readonly brush = new BrushState();
  readonly live: Live;

  sets = $state<ChannelSetView[]>([]);
  materials = $state<MaterialView[]>([]);
  document = $state.raw<BlendDocument>(null!);
  /** The newest shader and the document it was made from. */
  compiled = $state.raw<{ blend: CompiledBlend; from: BlendDocument }>(null!);
  name = $state("");

  surface = $state.raw<SurfaceView>(null!);
  /** The surface's arrays, on their way since before the documents were there. */
  geometry = $state.raw<Promise<ArrayBuffer>>(null!);
  stencils = $state.raw<StencilView[]>([]);

  /** Number of the chosen set; on a lower level the one that follows it is painted. */
  activeSet = $state(0);
  activeChannel = $state(0);
  openLayer = $state<string | null>(null);
  lens = $state<Lens>("blend");
  /** Level of detail that is shown and painted. */
  level = $state(0);
  tool = $state<Tool>("brush");
  side = $state<Side>("blend");
  faces = $state<{ unit: FaceUnit; hard: boolean }>({ unit: "quad", hard: false });
  /** Triangles chosen for a group or for refining. */
  chosen = $state.raw<ReadonlySet<number>>(new Set());
  hidden = $state.raw<ReadonlySet<string>>(new Set());
  protect = $state<Protection>({ groups: [], mask: null, inverted: false });
  compare = $state.raw<Compare | null>(null);
  /** Long work under way on this surface, and what it made. */
  job = $state.raw<JobNews | null>(null);
  /** A planned mesh is shown instead of the surface's own. */
  planShown = $state(false);
  previewing = $state(false);
  /** Counts up with every act, for whoever shows the history. */
  acts = $state(0);
  /** Counts up with every picture of a step that is kept. */
  pictures = $state(0);
  /** Rows of the view matrix for stencils projected from the eye; the viewport fills it in. */
  viewRows: () => number[] = () => [];

  history = $state<HistoryState>({ undo: null, redo: null, steps: 0, at: 0 });
  statistics = $state.raw<Statistics | null>(null);
  coreSample = $state.raw<CoreSample | null>(null);
  /** Strokes and acts sent and not yet acknowledged. */
  unsaved = $state(0);
  painting = $state(false);

  #receiver: ((frame: Frame) => void) | null = null;
  #early: Frame[] = [];
  #strokeNumber = 0;
  #stroke: string | null = null;
  #refused: string | null = null;
  #probeWaiting = false;
  #chooseNewest = false;
  #blendWriter: DocumentWriter<BlendDocument, BlendView>;
  #setWriters = new Map<string, DocumentWriter<ChannelSetDocument, ChannelSetView>>();

  constructor(surface: SurfaceView, project: ProjectView, geometry: Promise<ArrayBuffer>) {
    this.surface = surface;
    this.geometry = geometry;
    this.name = surface.name;
    this.materials = project.materials;
    this.stencils = project.stencils;
    this.sets = surface.channel_sets;
    this.document = surface.blend.document;
    this.compiled = { blend: surface.blend.compiled, from: surface.blend.document };
    this.brush.fit(surface.id, Math.hypot(...(surface.facts["size"] as number[])));
    const top = this.document.layers.at(-1);
    if (top) {
      this.openLayer = top.id;
      this.activeChannel = top.mask.channel;
    }
    this.#blendWriter = new DocumentWriter<BlendDocument, BlendView>(
      surface.blend.revision,
      (revision, document) =>
        answer<BlendView>(
          server.PUT("/api/blends/{ident}", {
            params: { path: { ident: surface.blend.id } },
            body: { revision, document },
          }),
        ),
      (view) => {
        this.compiled = { blend: view.compiled, from: view.document };
      },
      () => void this.#reload(),
    );
    this.#makeSetWriters();
    this.live = new Live(
      surface.id,
      (message) => this.#hear(message),
      (frame) => this.#take(frame),
      () => this.#lost(),
    );
  }

  #makeSetWriters(): void {
    this.#setWriters = new Map(
      this.sets.map((set) => [
        set.id,
        new DocumentWriter<ChannelSetDocument, ChannelSetView>(
          set.revision,
          (revision, document) =>
            answer(
              server.PUT("/api/channel-sets/{ident}", {
                params: { path: { ident: set.id } },
                body: { revision, document },
              }),
            ),
          (view) => {
            const known = this.sets.find((s) => s.id === view.id);
            if (known) known.revision = view.revision;
          },
          () => void this.#reload(),
        ),
      ]),
    );
  }

  static async open(ident: string): Promise<Studio> {
    const geometry = bytes(`/api/surfaces/${ident}/geometry`);
    // Whoever waits for it is told; without anyone waiting yet, this is not an unhandled failure.
    geometry.catch(() => {});
    const surface = await answer<SurfaceView>(
      server.GET("/api/surfaces/{ident}", { params: { path: { ident } } }),
    );
    const project = await answer<ProjectView>(
      server.GET("/api/projects/{ident}", { params: { path: { ident: surface.project } } }),
    );
    return new Studio(surface, project, geometry);
  }

  close(): void {
    this.live.close();
  }

  /** Sets that an artist chooses from: those of level 0 and of the map. */
  get ownSets(): ChannelSetView[] {
    return this.sets.filter((set) => set.sites.kind === "texels" || !set.sites.follows);
  }

  /** The set chosen, as the layers know it. */
  get baseSet(): ChannelSetView {
    return this.ownSets[this.activeSet] ?? this.ownSets[0]!;
  }

  /** The set that is painted: the chosen one, or the one that follows it on the level shown. */
  get set(): ChannelSetView {
    const base = this.baseSet;
    if (this.level === 0 || base.sites.kind === "texels") return base;
    return (
      this.sets.find(
        (set) =>
          set.sites.kind === "vertices" && set.sites.follows === base.id && set.sites.level === this.level,
      ) ?? base
    );
  }

  /** The painted set's number in frames. */
  get setNumber(): number {
    return this.sets.findIndex((set) => set.id === this.set.id);
  }

  get levels(): { name: string; vertices: number; triangles: number }[] {
    return (this.surface.facts["levels"] as Studio["levels"] | undefined) ?? [];
  }

  get groups(): { name: string; first: number; triangles: number; hard: boolean }[] {
    return (this.surface.facts["groups"] as Studio["groups"] | undefined) ?? [];
  }

  get channel(): ChannelDocument {
    return this.set.document.channels[this.activeChannel]!;
  }

  get address(): ChannelAddress {
    return { channel_set: this.set.id, channel: this.activeChannel };
  }

  /** Layers that read a channel of the active set. */
  readers(channel: number): CoverLayer[] {
    return this.document.layers.filter(
      (l) => l.mask.channel_set === this.baseSet.id && l.mask.channel === channel,
    );
  }

  chooseChannel(channel: number): void {
    if (channel >= this.set.document.channels.length) return;
    this.activeChannel = channel;
    const reader = this.readers(channel).at(-1);
    if (reader) this.openLayer = reader.id;
  }

  /** Choose a set by its number among those to choose from. */
  chooseSet(number: number): void {
    this.activeSet = number;
    this.activeChannel = Math.min(this.activeChannel, this.set.document.channels.length - 1);
  }

  /** Hand every frame to the viewport; those that came before it was there, at once. */
  receiveFrames(receiver: ((frame: Frame) => void) | null): void {
    this.#receiver = receiver;
    if (receiver) for (const frame of this.#early.splice(0)) receiver(frame);
  }

  #take(frame: Frame): void {
    if (this.#receiver) this.#receiver(frame);
    else this.#early.push(frame);
  }

  // Painting

  /** Groups that are protected or hidden, and the protecting mask. */
  get protection(): Protection {
    const { mask, inverted } = this.protect;
    return {
      groups: [...new Set([...(this.protect.groups ?? []), ...this.hidden])],
      mask: mask ? $state.snapshot(mask) : null,
      inverted: inverted ?? false,
    };
  }

  beginStroke(samples: PointerSample[]): boolean {
    if (this.channel.locked) {
      tell({ problem: `${this.channel.name} is locked.`, remedy: "Unlock the channel to paint on it." });
      return false;
    }
    const stroke = `s${++this.#strokeNumber}`;
    const brush = this.brush.forStroke(this.viewRows);
    if (!this.live.send({ type: "begin", stroke, on: this.address, brush, protect: this.protection })) {
      tell({
        problem: "Painting is paused: the connection to the server is lost.",
        remedy: "It comes back by itself; what was saved is safe.",
      });
      return false;
    }
    this.#stroke = stroke;
    this.painting = true;
    this.extendStroke(samples);
    return true;
  }

  extendStroke(samples: PointerSample[]): void {
    if (this.#stroke && samples.length) {
      this.live.send({ type: "extend", stroke: this.#stroke, samples });
    }
  }

  endStroke(): void {
    if (!this.#stroke) return;
    if (this.live.send({ type: "end", stroke: this.#stroke })) this.unsaved++;
    this.#stroke = null;
    this.painting = false;
  }

  abandonStroke(): void {
    if (!this.#stroke) return;
    this.live.send({ type: "abandon", stroke: this.#stroke });
    this.#stroke = null;
    this.painting = false;
  }

  #whole(message: Parameters<Live["send"]>[0]): void {
    if (this.live.send(message)) this.unsaved++;
    else tell({ problem: "The connection to the server is lost.", remedy: "Try again when it is back." });
  }

  undo(): void {
    if (this.history.undo !== null) this.#whole({ type: "undo" });
  }

  redo(): void {
    if (this.history.redo !== null) this.#whole({ type: "redo" });
  }

  /** Go through the history until a step is the last in force; 0 is before the first. */
  jump(number: number): void {
    this.#whole({ type: "jump", number });
  }

  /** Fill the chosen channel, or chosen faces of it. */
  fill(fill: AnyFill, more: { faces?: FaceChoice; source?: ChannelAddress; preview?: boolean } = {}): void {
    const message = {
      type: "fill" as const,
      on: this.address,
      fill,
      source: more.source ?? null,
      faces: more.faces ?? null,
      protect: this.protection,
      preview: more.preview ?? false,
    };
    if (more.preview) {
      this.previewing = true;
      this.live.send(message);
      return;
    }
    this.previewing = false;
    this.#whole(message);
  }

  endPreview(): void {
    if (!this.previewing) return;
    this.previewing = false;
    this.live.send({ type: "end_preview" });
  }

  swap(other: ChannelAddress): void {
    this.#whole({ type: "swap", on: this.address, other });
  }

  /** Beside the Blend lens the channel, beside any other the Blend; or nothing. */
  toggleWipe(): void {
    this.compare = this.compare
      ? null
      : {
          kind: "lens",
          lens: this.lens === "blend" ? "channel" : "blend",
          snapshot: null,
          level: 0,
          sideBySide: false,
          at: 0.5,
        };
  }

  startEmpty(channelSet: string): void {
    this.#whole({ type: "start_empty", channel_set: channelSet });
  }

  /** Ask what is under the cursor; one question at a time, and the newest matters only. */
  probe(triangle: number, barycentric: [number, number, number]): void {
    if (this.#probeWaiting || this.painting) return;
    const { radius, reach, facing_limit } = this.brush.settings;
    this.#probeWaiting = this.live.send({
      type: "probe",
      number: 0,
      channel_set: this.set.id,
      level: this.level,
      triangle,
      barycentric,
      radius,
      reach,
      facing_limit,
    });
  }

  // What the server says

  #hear(message: ToWindow): void {
    switch (message.type) {
      case "hello":
        this.history = message.history;
        this.unsaved = 0;
        this.#probeWaiting = false;
        break;
      case "saved":
        this.history = message.history;
        this.unsaved = Math.max(0, this.unsaved - 1);
        this.acts++;
        break;
      case "reshaped":
        void this.#reshape();
        break;
      case "job":
        this.#jobTold(message);
        break;
      case "previewed":
        break;
      case "refused":
        this.#probeWaiting = false;
        // What was sent after a refused beginning is refused as well; once is enough to be told.
        if (message.stroke && message.stroke === this.#refused) break;
        this.#refused = message.stroke ?? null;
        if (message.stroke && message.stroke === this.#stroke) {
          this.#stroke = null;
          this.painting = false;
        } else this.unsaved = Math.max(0, this.unsaved - 1);
        tell(message);
        break;
      case "statistics":
        this.statistics = message;
        break;
      case "core_sample":
        this.#probeWaiting = false;
        this.coreSample = message;
        break;
      case "document":
        this.#documentChanged(message.kind, message.id, message.revision);
        break;
    }
  }

  #documentChanged(kind: "channel_set" | "blend", id: string, revision: number): void {
    const writer = kind === "blend" ? this.#blendWriter : this.#setWriters.get(id);
    // Our own writes are answered by HTTP too; only a newer one from elsewhere is loaded.
    if (writer && !writer.pending && revision > writer.revision) void this.#reload();
  }

  #lost(): void {
    if (this.#stroke) {
      this.#stroke = null;
      this.painting = false;
      tell({
        problem: "The connection was lost in the middle of a stroke.",
        remedy: "What had arrived is kept; look at the stroke when the connection is back.",
      });
    }
    this.#probeWaiting = false;
  }

  async #reload(): Promise<void> {
    try {
      const surface = await answer<SurfaceView>(
        server.GET("/api/surfaces/{ident}", { params: { path: { ident: this.surface.id } } }),
      );
      this.surface = surface;
      this.sets = surface.channel_sets;
      for (const set of surface.channel_sets) {
        const writer = this.#setWriters.get(set.id);
        if (writer) writer.revision = set.revision;
      }
      this.document = surface.blend.document;
      this.compiled = { blend: surface.blend.compiled, from: surface.blend.document };
      this.#blendWriter.revision = surface.blend.revision;
      await this.reloadMaterials();
    } catch (error) {
      tellError(error);
    }
  }

  async reloadMaterials(): Promise<void> {
    const project = await answer<ProjectView>(
      server.GET("/api/projects/{ident}", { params: { path: { ident: this.surface.project } } }),
    );
    this.materials = project.materials;
    this.stencils = project.stencils;
  }

  /** The mesh or the list of sets is another one: load both, and begin a new conversation about them. */
  async #reshape(): Promise<void> {
    this.live.pause();
    this.#receiver = null;
    this.#early = [];
    this.painting = false;
    this.#stroke = null;
    try {
      const ident = this.surface.id;
      const chosen = this.baseSet.id;
      const geometry = bytes(`/api/surfaces/${ident}/geometry`);
      geometry.catch(() => {});
      const surface = await answer<SurfaceView>(
        server.GET("/api/surfaces/{ident}", { params: { path: { ident } } }),
      );
      this.surface = surface;
      this.sets = surface.channel_sets;
      this.#makeSetWriters();
      const kept = this.ownSets.findIndex((set) => set.id === chosen);
      this.chooseSet(this.#chooseNewest ? this.ownSets.length - 1 : Math.max(0, kept));
      this.#chooseNewest = false;
      this.level = Math.min(this.level, this.levels.length);
      this.chosen = new Set();
      const names = new Set(this.groups.map((g) => g.name));
      this.hidden = new Set([...this.hidden].filter((name) => names.has(name)));
      this.protect.groups = (this.protect.groups ?? []).filter((name) => names.has(name));
      if (this.compare && this.compare.level > this.levels.length) this.compare = null;
      this.planShown = false;
      this.coreSample = null;
      this.geometry = geometry;
    } catch (error) {
      tellError(error);
    }
    this.live.resume();
  }

  // Prepare

  /** What Prepare should open with. */
  prepareAt = $state<"facts" | "refine" | "groups" | "levels" | "replace">("facts");
  /** Wanted spacing in metres, as a remedy for too few sites under the brush. */
  wantedSpacing = $state<number | null>(null);

  /** Too few sites under the brush: show where, and offer to refine so that it covers some thirty. */
  remedyGrain(): void {
    this.wantedSpacing = this.brush.settings.radius / 3.5;
    this.prepareAt = "refine";
    this.side = "prepare";
    this.lens = "grain";
  }

  #jobTold(news: JobNews): void {
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
          params: { path: { ident: this.surface.id } },
          body: wish,
        }),
      );
    } catch (error) {
      tellError(error);
    }
  }

  async planFile(kind: "replacement" | "level" | "picture", file: File, query = ""): Promise<void> {
    const form = new FormData();
    form.append("file", file);
    try {
      await this.dropPlan();
      await post(`/api/surfaces/${this.surface.id}/plans/${kind}${query}`, form);
    } catch (error) {
      tellError(error);
    }
  }

  async keepPlan(): Promise<void> {
    if (!this.job) return;
    const { id } = this.job;
    this.job = null;
    await this.change(() => server.POST("/api/plans/{ident}/keep", { params: { path: { ident: id } } }));
  }

  async dropPlan(): Promise<void> {
    const job = this.job;
    this.job = null;
    this.planShown = false;
    if (job) await server.DELETE("/api/plans/{ident}", { params: { path: { ident: job.id } } });
  }

  /** An act over HTTP that the socket tells all windows about. */
  async change(
    request: () => Promise<{ data?: unknown; error?: unknown; response: Response }>,
  ): Promise<boolean> {
    this.unsaved++;
    try {
      await answer(request());
      return true;
    } catch (error) {
      this.unsaved = Math.max(0, this.unsaved - 1);
      tellError(error);
      return false;
    }
  }

  changeGroups(act: GroupAct): Promise<boolean> {
    return this.change(() =>
      server.POST("/api/surfaces/{ident}/groups", {
        params: { path: { ident: this.surface.id } },
        body: act,
      }),
    );
  }

  /** Add a channel set; it is the chosen one once the surface has been loaded with it. */
  async addSet(body: NewSet): Promise<boolean> {
    this.#chooseNewest = true;
    const done = await this.change(() =>
      server.POST("/api/surfaces/{ident}/sets", { params: { path: { ident: this.surface.id } }, body }),
    );
    if (!done) this.#chooseNewest = false;
    return done;
  }

  removeSet(channelSet: string): Promise<boolean> {
    return this.change(() =>
      server.DELETE("/api/surfaces/{ident}/sets/{channel_set}", {
        params: { path: { ident: this.surface.id, channel_set: channelSet } },
      }),
    );
  }

  removeLevel(): Promise<boolean> {
    return this.change(() =>
      server.DELETE("/api/surfaces/{ident}/levels", { params: { path: { ident: this.surface.id } } }),
    );
  }

  // Documents

  editBlend(change: (document: BlendDocument) => BlendDocument): void {
    const before = layers.structureOf(this.document);
    this.document = change(this.document);
    this.#blendWriter.write(this.document, layers.structureOf(this.document) !== before);
  }

  editLayer(id: string, change: Partial<CoverLayer>): void {
    this.editBlend((document) => layers.changed(document, id, change));
  }

  addLayer(): void {
    const layer = layers.fresh(this.document, this.materials, this.address);
    this.editBlend((document) => layers.withTop(document, layer));
    this.openLayer = layer.id;
  }

  removeLayer(id: string): void {
    this.editBlend((document) => layers.without(document, id));
    if (this.openLayer === id) this.openLayer = this.document.layers.at(-1)?.id ?? "ground";
  }

  orderLayers(ids: string[]): void {
    this.editBlend((document) => layers.ordered(document, ids));
  }

  moveLayer(id: string, up: boolean): void {
    this.editBlend((document) => layers.moved(document, id, up));
  }

  editChannel(index: number, change: Partial<ChannelDocument>): void {
    const { channels } = this.set.document;
    this.editSet({ channels: channels.map((c, i) => (i === index ? { ...c, ...change } : c)) });
  }

  editSet(change: Partial<ChannelSetDocument>): void {
    const set = this.set;
    set.document = { ...set.document, ...change };
    this.#setWriters.get(set.id)?.write($state.snapshot(set.document), true);
  }

  material(id: string): MaterialView | undefined {
    return this.materials.find((m) => m.id === id);
  }
}
