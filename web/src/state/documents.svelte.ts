/** The documents of an open surface: its blend, its channel sets' settings, the project's materials. */

import { SvelteSet } from "svelte/reactivity";

import { sameButForNumbers } from "./host";
import { kindOf, ofChannel } from "./ingredients";
import { adopted } from "./keptRecipes.svelte";
import * as layers from "./layers";
import { answer, server } from "./server";
import type { Studio } from "./studio.svelte";
import { tell, tellError } from "./told";
import type {
  BlendDocument,
  ChannelAddress,
  BlendView,
  ChannelDocument,
  ChannelSetDocument,
  ChannelSetView,
  CompiledBlend,
  Layer,
  LayerGroup,
  LayerKind,
  Recipe,
  MaterialView,
  Reading,
  ProjectView,
  StencilView,
} from "./types";
import { DocumentWriter } from "./writer.svelte";

export class Documents {
  blend = $state.raw<BlendDocument>(null!);
  /** The newest shader and the document it was made from. */
  compiled = $state.raw<{ blend: CompiledBlend; from: BlendDocument }>(null!);
  materials = $state<MaterialView[]>([]);
  stencils = $state.raw<StencilView[]>([]);
  /** Ids of the groups of layers that are folded: how one looks at the blend, and no part of it. */
  readonly folded = new SvelteSet<string>();

  readonly #blendWriter: DocumentWriter<BlendDocument, BlendView>;
  #setWriters = $state.raw(new Map<string, DocumentWriter<ChannelSetDocument, ChannelSetView>>());

  constructor(
    private readonly studio: Studio,
    project: ProjectView,
  ) {
    const { surface } = studio;
    this.materials = project.materials;
    this.stencils = project.stencils;
    this.blend = surface.blend.document;
    this.compiled = { blend: surface.blend.compiled, from: surface.blend.document };
    this.#blendWriter = new DocumentWriter<BlendDocument, BlendView>(
      surface.blend.revision,
      (revision, document) =>
        answer<BlendView>(
          server.PUT("/api/blends/{ident}", {
            params: { path: { ident: surface.blend.id } },
            body: { revision, surface: surface.id, document },
          }),
        ),
      (view) => {
        this.compiled = { blend: view.compiled, from: view.document };
      },
      () => void this.#loadBlend(),
    );
    this.writeSets();
  }

  /** Writers for the sets that there are now. */
  writeSets(): void {
    this.#setWriters = new Map(
      this.studio.sets.map((set) => [
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
            const known = this.studio.sets.find((s) => s.id === view.id);
            if (known) known.revision = view.revision;
          },
          () => void this.#loadSet(set.id),
        ),
      ]),
    );
  }

  /** A document has a new revision; our own writes are answered by HTTP too, so only others' are loaded. */
  changed(kind: "channel_set" | "blend", id: string, revision: number): void {
    const writer = kind === "blend" ? this.#blendWriter : this.#setWriters.get(id);
    if (!writer || revision <= writer.revision) return;
    if (writer.pending) {
      // Its answer may be this very revision, or an older one: then there is something to load.
      setTimeout(() => this.changed(kind, id, revision), 200);
      return;
    }
    void (kind === "blend" ? this.#loadBlend() : this.#loadSet(id));
  }

  async #loadBlend(): Promise<void> {
    try {
      const view = await answer<BlendView>(
        server.GET("/api/surfaces/{ident}/blend", { params: { path: { ident: this.studio.surface.id } } }),
      );
      if (!this.#blendWriter.wants(view)) return;
      this.#blendWriter.revision = view.revision;
      const known = new Set(this.materials.map((m) => m.id));
      const used = [view.document.ground.material, ...view.document.layers.map(layers.materialOf)];
      if (used.some((id) => id && !known.has(id))) await this.reloadMaterials();
      this.blend = view.document;
      this.compiled = { blend: view.compiled, from: view.document };
    } catch (error) {
      tellError(error);
    }
  }

  async #loadSet(id: string): Promise<void> {
    const writer = this.#setWriters.get(id);
    if (!writer) return;
    try {
      const path = { ident: this.studio.surface.id, channel_set: id };
      const view = await answer<ChannelSetView>(
        server.GET("/api/surfaces/{ident}/sets/{channel_set}", { params: { path } }),
      );
      if (!writer.wants(view)) return;
      writer.revision = view.revision;
      const known = this.studio.sets.find((s) => s.id === id);
      if (known) Object.assign(known, { revision: view.revision, document: view.document });
    } catch (error) {
      tellError(error);
    }
  }

  async reloadMaterials(): Promise<void> {
    const project = await answer<ProjectView>(
      server.GET("/api/projects/{ident}", { params: { path: { ident: this.studio.surface.project } } }),
    );
    this.materials = project.materials;
    this.stencils = project.stencils;
  }

  material(id: string | null): MaterialView | undefined {
    return id ? this.materials.find((m) => m.id === id) : undefined;
  }

  /** Whether an edit is not with the server yet. */
  get writing(): boolean {
    return this.#blendWriter.pending || [...this.#setWriters.values()].some((writer) => writer.pending);
  }

  /** Who reads a channel of the chosen set, as the server found it: layers and drives, lowest first. */
  readers(channel: number): Reading[] {
    return this.#reading({ channel_set: this.studio.selection.baseSet.id, channel });
  }

  /** Whether anything that is shown reads a channel of any set. */
  seen(on: ChannelAddress): boolean {
    return this.#reading(on).some(({ shown }) => shown);
  }

  #reading({ channel_set, channel }: ChannelAddress): Reading[] {
    return this.compiled.blend.readings.filter((r) => r.channel_set === channel_set && r.channel === channel);
  }

  /** Whether neither a layer nor its group is hidden. */
  shown = (layer: Layer): boolean => layers.shown(this.blend, layer);

  /** What is wrong with a layer, so that it is left out; by its id, or "ground". */
  faultOf(id: string): { problem: string; remedy: string } | null {
    const { blend, from } = this.compiled;
    const number = from.layers.findIndex((l) => l.id === id);
    const part = id === "ground" ? "/ground" : `/layers/${number}`;
    return blend.faults.find((fault) => fault.part === part) ?? null;
  }

  edit(change: (document: BlendDocument) => BlendDocument): void {
    const before = this.blend;
    this.blend = change(before);
    // Numbers follow a dragged slider and are written when it rests; another shader is wanted at once.
    this.#blendWriter.write(this.blend, !sameButForNumbers(this.compiled.blend, before, this.blend));
  }

  editLayer(id: string, change: Partial<Layer>): void {
    this.edit((document) => layers.changed(document, id, change));
  }

  addLayer(kind: LayerKind = "cover", material?: string): void {
    const mask = ofChannel(this.#unread());
    let layer = layers.fresh(this.blend, kindOf(kind), this.materials, mask, this.studio.surface.first.tile);
    const chosen = material && this.material(material);
    if (chosen && "material" in layer) layer = { ...layer, material: chosen.id, name: chosen.name };
    this.edit((document) => layers.withTop(document, layer));
    this.studio.selection.openLayer = layer.id;
  }

  doubleLayer(id: string): void {
    const made = layers.doubled(this.blend, id);
    this.edit(() => made.document);
    this.studio.selection.openLayer = made.id;
  }

  /** A layer that was copied, from this blend or another. */
  async pasteLayer(copied: Layer): Promise<void> {
    const found = await adopted(this.studio, { layer: $state.snapshot(copied) as Layer });
    if (!found?.layer) return;
    const own = layers.withFreshId(found.layer);
    this.edit((document) => layers.withTop(document, own));
    this.studio.selection.openLayer = own.id;
  }

  /** The chosen channel, or the next of its set that no layer reads. */
  #unread(): ChannelAddress {
    const { address, baseSet } = this.studio.selection;
    const count = baseSet.document.channels.length;
    const next = Array.from({ length: count }, (_, i) => (address.channel + i) % count);
    return { channel_set: baseSet.id, channel: next.find((c) => !this.readers(c).length) ?? address.channel };
  }

  /** Have a channel that nobody reads and nobody has painted hold what a recipe measures; null where there is none. */
  measureInto(name: string, recipe: Recipe): ChannelAddress | null {
    const { baseSet } = this.studio.selection;
    const { statistics } = this.studio;
    const facts = statistics?.channels[baseSet.id];
    const channel = baseSet.document.channels.findIndex(
      ({ undercoat, locked }, c) =>
        undercoat.kind === "constant" && !locked && !this.readers(c).length && facts?.[c]?.own === 0,
    );
    if (channel < 0) {
      tell({
        problem: `All channels of ${baseSet.document.name} are painted, measured or read.`,
        remedy: "Add a channel set, choose it, and add the measure again.",
      });
      return null;
    }
    const on = { channel_set: baseSet.id, channel };
    this.editSet({
      channels: this.studio.selection.set.document.channels.map((c, i) =>
        i === channel ? { ...c, name } : c,
      ),
    });
    this.studio.send({ type: "measure", on, recipe, layer: null });
    return on;
  }

  removeLayer(id: string): void {
    this.edit((document) => layers.without(document, id));
    if (this.studio.selection.openLayer === id)
      this.studio.selection.openLayer = this.blend.layers.at(-1)?.id ?? "ground";
  }

  /** rows: of the list, topmost first, after one of them was moved. */
  arrange(rows: string[], mover: string): void {
    this.edit((document) => layers.arranged(document, rows, mover, this.folded));
  }

  /** group: an id, "new" or null for none. */
  group(id: string, group: string | null): void {
    this.edit((document) =>
      group === "new" ? layers.withGroup(document, id) : layers.grouped(document, id, group),
    );
  }

  editGroup(id: string, change: Partial<LayerGroup>): void {
    this.edit((document) => layers.withGroupChanged(document, id, change));
  }

  moveLayer(id: string, up: boolean): void {
    this.edit((document) => layers.moved(document, id, up));
  }

  editChannel(index: number, change: Partial<ChannelDocument>): void {
    const { channels } = this.studio.selection.set.document;
    this.editSet({ channels: channels.map((c, i) => (i === index ? { ...c, ...change } : c)) });
  }

  editSet(change: Partial<ChannelSetDocument>, set: ChannelSetView = this.studio.selection.set): void {
    set.document = { ...set.document, ...change };
    this.#setWriters.get(set.id)?.write($state.snapshot(set.document), true);
  }
}
