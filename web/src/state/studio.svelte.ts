/** One open surface: its documents, its live connection, what the artist has chosen. */

import { BrushState } from "./brush.svelte";
import type { Frame } from "./frames";
import * as layers from "./layers";
import { Live } from "./live.svelte";
import { answer, bytes, server } from "./server";
import { tell, tellError } from "./told";
import type {
  BlendDocument,
  BlendView,
  ChannelAddress,
  ChannelDocument,
  ChannelSetDocument,
  ChannelSetView,
  CompiledBlend,
  CoreSample,
  CoverLayer,
  HistoryState,
  MaterialView,
  PointerSample,
  ProjectView,
  Statistics,
  SurfaceView,
  ToWindow,
} from "./types";
import { DocumentWriter } from "./writer";

export type Lens = "blend" | "channel" | "set";
export const LENSES: { value: Lens; name: string; key: string; about: string }[] = [
  { value: "blend", name: "Blend", key: "B", about: "The shaded result" },
  { value: "channel", name: "Channel", key: "C", about: "The chosen channel, dark 0 to light 1" },
  { value: "set", name: "Set", key: "S", about: "R, G and B of the set as colours" },
];

export class Studio {
  readonly brush = new BrushState();
  readonly live: Live;

  sets = $state<ChannelSetView[]>([]);
  materials = $state<MaterialView[]>([]);
  document = $state.raw<BlendDocument>(null!);
  /** The newest shader and the document it was made from. */
  compiled = $state.raw<{ blend: CompiledBlend; from: BlendDocument }>(null!);
  name = $state("");

  activeSet = $state(0);
  activeChannel = $state(0);
  openLayer = $state<string | null>(null);
  lens = $state<Lens>("blend");

  history = $state<HistoryState>({ undo: null, redo: null, steps: 0 });
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
  #blendWriter: DocumentWriter<BlendDocument, BlendView>;
  #setWriters: DocumentWriter<ChannelSetDocument, ChannelSetView>[];

  constructor(
    readonly surface: SurfaceView,
    materials: MaterialView[],
    /** The surface's arrays, on their way since before the documents were there. */
    readonly geometry: Promise<ArrayBuffer>,
  ) {
    this.name = surface.name;
    this.materials = materials;
    this.sets = surface.channel_sets;
    this.document = surface.blend.document;
    this.compiled = { blend: surface.blend.compiled, from: surface.blend.document };
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
    this.#setWriters = surface.channel_sets.map(
      (set, index) =>
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
            this.sets[index]!.revision = view.revision;
          },
          () => void this.#reload(),
        ),
    );
    this.live = new Live(
      surface.id,
      (message) => this.#hear(message),
      (frame) => this.#take(frame),
      () => this.#lost(),
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
    return new Studio(surface, project.materials, geometry);
  }

  close(): void {
    this.live.close();
  }

  get set(): ChannelSetView {
    return this.sets[this.activeSet]!;
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
      (l) => l.mask.channel_set === this.set.id && l.mask.channel === channel,
    );
  }

  chooseChannel(channel: number): void {
    if (channel >= this.set.document.channels.length) return;
    this.activeChannel = channel;
    const reader = this.readers(channel).at(-1);
    if (reader) this.openLayer = reader.id;
  }

  /** Hand every frame to the viewport; those that came before it was there, at once. */
  receiveFrames(receiver: (frame: Frame) => void): void {
    this.#receiver = receiver;
    for (const frame of this.#early.splice(0)) receiver(frame);
  }

  #take(frame: Frame): void {
    if (this.#receiver) this.#receiver(frame);
    else this.#early.push(frame);
  }

  // Painting

  beginStroke(samples: PointerSample[]): boolean {
    if (this.channel.locked) {
      tell({ problem: `${this.channel.name} is locked.`, remedy: "Unlock the channel to paint on it." });
      return false;
    }
    const stroke = `s${++this.#strokeNumber}`;
    const brush = $state.snapshot(this.brush.settings);
    if (!this.live.send({ type: "begin", stroke, on: this.address, brush })) {
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

  fill(act: "fill" | "invert" | "lift"): void {
    this.#whole({ type: "fill", act, on: this.address, weight: this.brush.settings.target });
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
    const writer =
      kind === "blend" ? this.#blendWriter : this.#setWriters[this.sets.findIndex((set) => set.id === id)];
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
      this.sets = surface.channel_sets;
      this.#setWriters.forEach((writer, i) => (writer.revision = surface.channel_sets[i]!.revision));
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
    const set = this.sets[this.activeSet]!;
    const channels = set.document.channels.map((c, i) => (i === index ? { ...c, ...change } : c));
    set.document = { ...set.document, channels };
    this.#setWriters[this.activeSet]!.write($state.snapshot(set.document), true);
  }

  material(id: string): MaterialView | undefined {
    return this.materials.find((m) => m.id === id);
  }
}
