/** One open surface: its conversation with the server, and the parts that take part in it. */

import { toast } from "svelte-sonner";

import { BrushState } from "./brush.svelte";
import { Documents } from "./documents.svelte";
import { CLOSED, type Eye } from "./eye";
import type { Frame, HeightsPart } from "./frames";
import { loadIngredients } from "./ingredients";
import { onlyChannel } from "./layers";
import { Live } from "./live.svelte";
import { Painting } from "./painting.svelte";
import { Preparing } from "./preparing.svelte";
import { Probing } from "./probing.svelte";
import { Selection } from "./selection.svelte";
import { answer, bytes, server } from "./server";
import { Lighting } from "./lighting.svelte";
import { Around } from "./surroundings.svelte";
import { Surveys } from "./surveys.svelte";
import { tell, tellError } from "./told";
import type {
  BlendDocument,
  BlendView,
  ChannelSetView,
  CompiledBlend,
  DocumentChanged,
  FromWindow,
  HistoryState,
  ProjectView,
  Stand,
  Statistics,
  SurfaceView,
  ToWindow,
} from "./types";

const LOST = { problem: "The connection to the server is lost.", remedy: "Try again when it is back." };
const LOADING = { problem: "The surface is being loaded anew.", remedy: "Try again when it is there." };

export class Studio {
  surface = $state.raw<SurfaceView>(null!);
  sets = $state<ChannelSetView[]>([]);
  readonly selection = new Selection(this);
  readonly brush = new BrushState();
  readonly live: Live;
  readonly painting: Painting;
  readonly documents: Documents;
  readonly preparing: Preparing;
  readonly around: Around;
  readonly surveys: Surveys;
  readonly probing = new Probing(this);

  name = $state("");
  /** The surface's arrays, on their way since before the documents were there. */
  geometry = $state.raw<Promise<ArrayBuffer>>(null!);
  /** Counts up with everything that the server says. */
  heard = $state(0);
  /** Counts up with every step, for whoever shows the history. */
  steps = $state(0);
  /** Counts up with every picture of a step that is kept. */
  pictures = $state(0);
  /** Whoever looks at the surface. */
  eye = $state.raw<Eye>(CLOSED);
  readonly lighting: Lighting;
  /** Where the surface was looked at from last; none before anybody looked. */
  stand = $state.raw<Stand | null>(null);
  /** Degrees that a compass is turned by, so that what points up on it points away from who looks. */
  turned = $state(0);

  history = $state<HistoryState>({ undo: null, redo: null, steps: 0, at: 0, on: null });
  statistics = $state.raw<Statistics | null>(null);
  /** Strokes and acts sent and not yet acknowledged. */
  unsaved = $state(0);

  #receiver: ((frame: Frame | HeightsPart) => void) | null = null;
  #early: (Frame | HeightsPart)[] = [];
  #reshaping = false;
  #stepping = false;
  #later: { type: "undo" | "redo" }[] = [];

  constructor(surface: SurfaceView, project: ProjectView, geometry: Promise<ArrayBuffer>) {
    this.surface = surface;
    this.sets = surface.channel_sets;
    this.geometry = geometry;
    this.name = surface.name;
    this.brush.fit(surface.id, surface.first);
    this.painting = new Painting(this);
    this.preparing = new Preparing(this);
    this.around = new Around(surface.id);
    this.lighting = new Lighting(this);
    this.surveys = new Surveys(this);
    this.documents = new Documents(this, project);
    const top = this.documents.blend.layers.at(-1);
    if (top) {
      this.selection.openLayer = top.id;
      const only = onlyChannel(top.mask);
      if (only && only.channel_set === this.selection.baseSet.id) {
        this.selection.activeChannel = only.channel;
      }
    }
    this.live = new Live(
      surface.id,
      (message) => this.#hear(message),
      (frame) => this.#take(frame),
      (waited) => {
        if (this.#later.length) {
          tell({
            problem: "The connection was lost: what was still to be undone or redone has not been.",
            remedy: "Go on when it is back.",
          });
        } else if (waited) tell(LOST);
        this.#later = [];
        this.#stepping = this.#reshaping = false;
        this.painting.lost();
        this.probing.ended();
      },
    );
  }

  /** Sets that an artist chooses from: those of level 0 and of the map. */
  get ownSets(): ChannelSetView[] {
    return this.sets.filter((set) => set.sites.kind !== "vertices" || !set.sites.follows);
  }

  get levels(): { name: string; vertices: number; triangles: number; old?: boolean }[] {
    return (this.surface.facts["levels"] as Studio["levels"] | undefined) ?? [];
  }

  get groups(): { name: string; first: number; triangles: number; hard: boolean }[] {
    return (this.surface.facts["groups"] as Studio["groups"] | undefined) ?? [];
  }

  static async open(ident: string): Promise<Studio> {
    const ingredients = loadIngredients();
    const geometry = bytes(`/api/surfaces/${ident}/geometry`);
    // Whoever waits for it is told; without anyone waiting yet, this is not an unhandled failure.
    geometry.catch(() => {});
    const surface = await answer<SurfaceView>(
      server.GET("/api/surfaces/{ident}", { params: { path: { ident } } }),
    );
    const project = await answer<ProjectView>(
      server.GET("/api/projects/{ident}", { params: { path: { ident: surface.project } } }),
    );
    await ingredients;
    return new Studio(surface, project, geometry);
  }

  /** The program with one layer alone, while that is looked at. */
  alone = $state.raw<{ blend: CompiledBlend; from: BlendDocument } | null>(null);

  /** Follow which layer is looked at alone; called in an effect. */
  followSolo(): void {
    const only = this.selection.solo;
    const { compiled } = this.documents;
    if (only === null || !compiled.from.layers.some((l) => l.id === only)) {
      this.alone = null;
      return;
    }
    const params = { path: { ident: this.surface.id }, query: { only } };
    void answer<BlendView>(server.GET("/api/surfaces/{ident}/blend", { params })).then((view) => {
      if (this.selection.solo === only) this.alone = { blend: view.compiled, from: view.document };
    }, tellError);
  }

  close(): void {
    this.live.close();
  }

  chooseChannel(channel: number): void {
    if (channel >= this.selection.set.document.channels.length) return;
    this.selection.activeChannel = channel;
    const reader = this.documents.readers(channel).findLast(({ layer }) => layer);
    if (reader?.layer) this.selection.openLayer = reader.layer;
  }

  /** Hand every frame to the viewport; those that came before it was there, at once. */
  receiveFrames(receiver: ((frame: Frame | HeightsPart) => void) | null): void {
    this.#receiver = receiver;
    if (receiver) for (const frame of this.#early.splice(0)) receiver(frame);
  }

  #take(frame: Frame | HeightsPart): void {
    this.heard++;
    if (this.#receiver) this.#receiver(frame);
    else this.#early.push(frame);
  }

  /**
   * Send what the server answers when it is saved. What was asked for while the surface, as it is shown, is being
   * joined is sent when it is. Returns whether it was sent or will be.
   */
  send(message: FromWindow): boolean {
    const sent = this.live.post(message);
    if (sent) this.unsaved++;
    else tell(this.live.connection === "connecting" ? LOADING : LOST);
    return sent;
  }

  /** What undo would take back; null for nothing. */
  get undone(): string | null {
    return this.surveys.draft.waits ? "what is not run yet" : this.history.undo;
  }

  undo(): void {
    if (this.surveys.takeBack()) return;
    if (this.history.undo !== null) this.#step({ type: "undo" });
  }

  redo(): void {
    if (this.history.redo !== null) this.#step({ type: "redo" });
  }

  /**
   * A step through the history. One at a time: if it changes the mesh, that is loaded anew, and what had been
   * sent behind it would be said to nobody.
   */
  #step(message: { type: "undo" | "redo" }): void {
    if (this.#reshaping || this.#stepping) {
      this.#later.push(message);
      return;
    }
    this.#stepping = true;
    this.send(message);
  }

  /** The step before has its answer. */
  #stepped(): void {
    this.#stepping = false;
    const following = this.#later.shift();
    if (following) this.#step(following);
  }

  /** Whether steps through the history wait; what is painted comes behind them. */
  get stepsWait(): boolean {
    return this.#reshaping || this.#later.length > 0;
  }

  /** Go through the history until a step is the last in force; 0 is before the first. */
  jump(number: number): void {
    this.send({ type: "jump", number });
  }

  // What the server says

  #hear(message: ToWindow): void {
    this.heard++;
    switch (message.type) {
      case "ready":
        this.#reshaping = false;
        this.surveys.draft.goOn();
        this.#stepped();
        break;
      case "hello":
        this.history = message.history;
        this.unsaved = this.live.waiting;
        this.painting.ended = null;
        this.probing.ended();
        this.surveys.forget();
        for (const changed of message.documents) this.#heardOf(changed);
        break;
      case "saved":
        this.history = message.history;
        this.unsaved = Math.max(0, this.unsaved - 1);
        if (message.stroke === this.painting.ended) this.painting.ended = null;
        if (message.reshapes) this.#reshaping = true;
        else this.#stepped();
        if (message.painted_over) this.#tellPaintedOver(message.painted_over);
        this.steps++;
        this.probing.again();
        break;
      case "history":
        this.history = message.history;
        this.steps++;
        this.probing.again();
        break;
      case "reshaped":
        void this.#reshape();
        break;
      case "job":
        if (message.kind === "survey") this.surveys.told(message);
        else this.preparing.told(message);
        break;
      case "begun":
        this.unsaved = Math.max(0, this.unsaved - 1);
        break;
      case "previewed":
        this.surveys.shown();
        break;
      case "refused":
        this.probing.ended();
        this.surveys.shown();
        this.surveys.draft.refused();
        this.#stepped();
        if (this.painting.refuse(message.stroke ?? null)) tell(message);
        break;
      case "statistics":
        this.statistics = message;
        break;
      case "core_sample":
        this.probing.told(message);
        break;
      case "document":
        this.#heardOf(message);
        this.probing.again();
        break;
    }
  }

  #heardOf({ kind, id, revision }: DocumentChanged): void {
    if (kind === "surroundings") this.around.changed(revision);
    else this.documents.changed(kind, id, revision);
  }

  /** Steps taken back are gone from the list; what they had made is a snapshot, and can be had back. */
  #tellPaintedOver({ snapshot, name, steps }: { snapshot: string; name: string; steps: number }): void {
    this.steps++;
    toast.message(`${steps} later steps were painted over.`, {
      description: `What they had made is kept as the snapshot “${name}”.`,
      duration: 12_000,
      action: { label: "Undo", onClick: () => void this.preparing.restore(snapshot) },
    });
  }

  /** The mesh or the list of sets is another one: load both, and begin a new conversation about them. */
  async #reshape(): Promise<void> {
    this.#reshaping = true;
    this.live.pause();
    this.#receiver = null;
    this.#early = [];
    this.probing.forget();
    this.painting.drop();
    try {
      const ident = this.surface.id;
      const geometry = bytes(`/api/surfaces/${ident}/geometry`);
      geometry.catch(() => {});
      const surface = await answer<SurfaceView>(
        server.GET("/api/surfaces/{ident}", { params: { path: { ident } } }),
      );
      const before = this.selection.baseSet.id;
      this.surface = surface;
      this.sets = surface.channel_sets;
      this.selection.keep(before, this.preparing.chooseNewest);
      this.documents.writeSets();
      this.preparing.chooseNewest = false;
      this.preparing.planShown = false;
      this.geometry = geometry;
    } catch (error) {
      tellError(error);
    }
    this.live.resume();
  }
}
