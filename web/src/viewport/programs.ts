/** The shader programs of a picture: the blend's, fitted to each scenery, and the lenses'. */

import { Color, Vector2, Vector4, type RawShaderMaterial } from "three";

import { atPath, sameButForNumbers } from "../state/host";
import { isProgrammed, type Lens } from "../state/lenses";
import type { BlendDocument, ChannelSetView, CompiledBlend, LensView, MaterialView } from "../state/types";
import {
  blendMaterial,
  channelMaterial,
  clayMaterial,
  groupColour,
  hidingMaterial,
  lengthMaterial,
  plainMaterial,
  setMaterial,
  valueMaterial,
  wireMaterial,
  type SetReader,
  type Over,
} from "./materials";
import { ownUniforms, type Illumination, type Own } from "./light/illumination";
import type { Scenery } from "./scenery";
import type { TerrainGround } from "./terrain/ground";
import { Textures, type Wanted } from "./textures";
import { bindUniforms } from "./uniforms";

export interface BlendInput {
  compiled: { blend: CompiledBlend; from: BlendDocument };
  document: BlendDocument;
  materials: MaterialView[];
}

/** What one side of the picture shows. range: of a lens of lengths, in metres. program: of a lens that has its own. */
export interface View {
  lens: Lens;
  set: number;
  channel: number;
  range: [number, number];
  program: LensView | null;
}

/** What is in each texture slot; null while a material is not known here. */
export function inSlots(
  { slots, pictures }: Pick<CompiledBlend, "slots" | "pictures">,
  document: BlendDocument,
  materials: MaterialView[],
): Wanted | null {
  const used = slots.map((slot) => materials.find((m) => m.id === atPath(document, slot)));
  if (!used.every((m) => m !== undefined)) return null;
  return { materials: used, pictures: pictures.map((path) => atPath(document, path) as string) };
}

/** Whether a program reads no texture at all. */
const isBare = ({ slots, pictures }: CompiledBlend): boolean => slots.length + pictures.length === 0;

/** Give a program the arrays that it reads. */
function hang({ arrays }: Textures, material: RawShaderMaterial): void {
  for (const [name, texture] of Object.entries(arrays)) material.uniforms[`pack_${name}`]!.value = texture;
}

/** The blend's program for a scenery; hiding, wire: what it hides of the light and draws its edges with, where the blend moves it. */
interface Fitted {
  key: string;
  material: RawShaderMaterial;
  hiding: RawShaderMaterial | null;
  wire: RawShaderMaterial | null;
}

/** Have the graphics card build a program; whether it takes it. */
export type Link = (material: RawShaderMaterial, scenery: Scenery) => Promise<boolean>;

export class Programs {
  /** Eye and light as its things have them in their own metres. */
  readonly own: Own = ownUniforms();
  readonly tint: RawShaderMaterial;
  /** Shape and light, until there is more. */
  readonly #clay: RawShaderMaterial;
  /** What hides something where the surface does not move. */
  readonly #hiding: RawShaderMaterial;
  readonly #wire: RawShaderMaterial;
  /** The blend's ground alone, until the whole is linked. */
  #bare: { material: RawShaderMaterial; textures: Textures | null } | null = null;
  #anisotropy = 1;
  readonly #over: Over;
  #input: BlendInput | null = null;
  #blends = new Map<Scenery, Fitted>();
  #flat = new Map<string, RawShaderMaterial>();
  #textures: Textures | null = null;
  #loading = "";
  #arriving: Promise<void> = Promise.resolve();
  /** Textures that came before the program that wants them. */
  #fresh: Textures | null = null;
  /** The program that is being linked for a scenery, and those that the graphics card refused. */
  #linking = new Map<Scenery, string>();
  #refused = new Set<string>();
  #lensTextures: Textures | null = null;
  #lensLoading = "";
  #time = 0;
  #gone = false;

  constructor(
    private readonly sets: ChannelSetView[],
    ground: TerrainGround | null,
    private readonly onTextures: () => void,
    private readonly link: Link,
    private readonly onRefused: () => void,
    light: Illumination,
  ) {
    this.#over = { own: this.own, light, ground };
    this.tint = plainMaterial(new Color(0.4, 0.75, 0.67), 0.55, this.#over);
    this.#clay = clayMaterial(this.#over);
    this.#hiding = hidingMaterial(null, this.#over);
    this.#wire = wireMaterial(null, this.#over);
  }

  /** Textures are still on their way. */
  get waiting(): boolean {
    return this.#loading !== "" || this.#lensLoading !== "" || this.#linking.size > 0;
  }

  /** Show a blend, or what was shown last, on some sceneries. */
  fit(sceneries: Scenery[], input = this.#input): void {
    this.#input = input;
    if (!input) return;
    const { blend, from } = input.compiled;
    // A document edited since may have other layers than the program; then its numbers wait.
    const values = sameButForNumbers(blend, from, input.document) ? input.document : from;
    for (const scenery of sceneries) this.#fitTo(scenery, blend, values);
    this.#loadTextures(blend, values, input.materials);
  }

  #fitTo(scenery: Scenery, blend: CompiledBlend, values: BlendDocument): void {
    const readers = blend.channel_sets.map((id) => this.#readerOf(id, scenery));
    if (readers.some((reader) => reader === null)) return;
    const key = `${blend.structure}/${readers.map((r) => `${r!.source.kind}${r!.index}`).join()}`;
    const fitted = this.#blends.get(scenery);
    const bind = (material: RawShaderMaterial) => bindUniforms(material, blend, values, this.#now(scenery));
    if (fitted?.key === key) {
      this.#linking.delete(scenery);
      bind(fitted.material);
      for (const placed of [fitted.hiding, fitted.wire]) if (placed) bind(placed);
      return;
    }
    if (this.#linking.get(scenery) === key || this.#refused.has(key)) return;
    const material = blendMaterial(blend, readers as SetReader[], this.#over);
    bind(material);
    const placed = blend.vertex ? { compiled: blend, readers: readers as SetReader[] } : null;
    const hiding = placed && hidingMaterial(placed, this.#over);
    const wire = placed && wireMaterial(placed, this.#over);
    for (const each of [hiding, wire]) if (each) bind(each);
    // The old one, or clay, stays until the new one links, and for good if it does not.
    this.#linking.set(scenery, key);
    void this.link(material, scenery).then(async (linked) => {
      // Slots of another program are other materials: both change in one picture.
      await this.#arriving;
      const wanted = !this.#gone && this.#linking.get(scenery) === key;
      if (wanted) this.#linking.delete(scenery);
      if (!linked) this.#refused.add(key);
      if (!wanted || !linked) {
        material.dispose();
        hiding?.dispose();
        wire?.dispose();
        if (wanted) this.onRefused();
        return;
      }
      this.#letGo(scenery);
      this.#use(scenery, { key, material, hiding, wire });
      this.#forgetBare();
      // What was dragged meanwhile.
      this.fit([scenery]);
      this.onTextures();
    });
  }

  /** Show the ground alone until the whole blend is there. */
  async showGround(
    scenery: Scenery,
    blend: CompiledBlend,
    document: BlendDocument,
    materials: MaterialView[],
  ): Promise<void> {
    const wanted = inSlots(blend, document, materials);
    if (!wanted || blend.channel_sets.length > 0 || blend.vertex || this.#blends.has(scenery)) return;
    const material = blendMaterial(blend, [], this.#over);
    bindUniforms(material, blend, document, this.#now(scenery));
    const [textures, linked] = await Promise.all([
      isBare(blend) ? null : Textures.load(wanted, this.#anisotropy),
      this.link(material, scenery),
    ]);
    if (!linked || this.#gone || this.#blends.has(scenery)) {
      material.dispose();
      textures?.dispose();
      return;
    }
    if (textures) hang(textures, material);
    this.#bare = { material, textures };
    this.onTextures();
  }

  #forgetBare(): void {
    this.#bare?.material.dispose();
    this.#bare?.textures?.dispose();
    this.#bare = null;
  }

  /** Wait until the program for a scenery is there; whether it is. */
  async arrived(scenery: Scenery): Promise<boolean> {
    for (let waited = 0; this.#linking.has(scenery) || !this.#blends.has(scenery); waited++) {
      if (waited === 300 || this.#gone || !this.#input) return false;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    return true;
  }

  /** How sharply textures are read at a slant. */
  sharpen(anisotropy: number): void {
    this.#anisotropy = anisotropy;
    for (const textures of [this.#textures, this.#fresh, this.#lensTextures]) textures?.sharpen(anisotropy);
  }

  #letGo(scenery: Scenery): void {
    const fitted = this.#blends.get(scenery);
    fitted?.material.dispose();
    fitted?.hiding?.dispose();
    fitted?.wire?.dispose();
  }

  #use(scenery: Scenery, fitted: Fitted): void {
    this.#blends.set(scenery, fitted);
    if (this.#fresh) this.#take(this.#fresh);
    if (this.#textures) this.#hang(this.#textures);
  }

  /** Facts of a scenery, and how late it is. */
  #now(scenery: Scenery): Record<string, number> {
    return { ...scenery.facts, time: this.#time };
  }

  /** Seconds that what moves has gone on for. */
  set time(seconds: number) {
    this.#time = seconds;
    this.fit([...this.#blends.keys()]);
  }

  /** The material of a lens that has a program; null where the scenery has not what it reads. */
  #valueMaterial(scenery: Scenery, lens: LensView): RawShaderMaterial | null {
    const { compiled } = lens;
    const readers = compiled.channel_sets.map((id) => this.#readerOf(id, scenery));
    if (readers.some((reader) => reader === null)) return null;
    const key = `value/${compiled.structure}/${readers.map((r) => `${r!.source.kind}${r!.index}`).join()}`;
    const made = this.#kept(key, () => valueMaterial(compiled, readers as SetReader[], this.#over));
    const document = lens.document ?? this.#input?.document;
    if (document) bindUniforms(made, compiled, document as BlendDocument, this.#now(scenery));
    if (isBare(compiled)) return made;
    const wanted = this.#input && inSlots(compiled, document as BlendDocument, this.#input.materials);
    const textures = wanted && this.#texturesOf(wanted);
    if (!textures) return null;
    hang(textures, made);
    return made;
  }

  /** Textures for a lens: the blend's where they are the same, else loaded. */
  #texturesOf(wanted: Wanted): Textures | null {
    const key = Textures.keyFor(wanted);
    if (key === this.#textures?.key) return this.#textures;
    if (key === this.#lensTextures?.key) return this.#lensTextures;
    if (key !== this.#lensLoading) {
      this.#lensLoading = key;
      void Textures.load(wanted, this.#anisotropy).then(
        (textures) => {
          if (this.#gone || this.#lensLoading !== key) return textures.dispose();
          this.#lensLoading = "";
          this.#lensTextures?.dispose();
          this.#lensTextures = textures;
          this.onTextures();
        },
        (error: unknown) => console.error(error),
      );
    }
    return null;
  }

  /** The set itself where it lies on the scenery, or the one that follows it there. */
  #readerOf(id: string, scenery: Scenery): SetReader | null {
    const index = this.sets.findIndex(
      (set, i) =>
        scenery.sources[i] && (set.id === id || (set.sites.kind === "vertices" && set.sites.follows === id)),
    );
    return index < 0 ? null : { index, source: scenery.sources[index]! };
  }

  #loadTextures(blend: CompiledBlend, document: BlendDocument, materials: MaterialView[]): void {
    const wanted = inSlots(blend, document, materials);
    if (!wanted || isBare(blend)) return;
    const key = Textures.keyFor(wanted);
    if (key === (this.#fresh ?? this.#textures)?.key || key === this.#loading) return;
    this.#loading = key;
    this.#arriving = Textures.load(wanted, this.#anisotropy).then(
      (textures) => {
        if (this.#gone || this.#loading !== key) return textures.dispose();
        this.#loading = "";
        if (this.#linking.size > 0) {
          this.#fresh?.dispose();
          this.#fresh = textures;
        } else this.#take(textures);
        this.onTextures();
      },
      (error: unknown) => {
        this.#loading = "";
        console.error(error);
      },
    );
  }

  #take(textures: Textures): void {
    if (this.#textures !== textures) this.#textures?.dispose();
    if (this.#fresh !== textures) this.#fresh?.dispose();
    this.#textures = textures;
    this.#fresh = null;
    this.#hang(textures);
  }

  #hang(textures: Textures): void {
    for (const { material } of this.#blends.values()) hang(textures, material);
  }

  /** Whether what a view draws lies elsewhere than its mesh. */
  moves(view: View): boolean {
    return view.lens === "blend" && !!this.#input?.compiled.blend.vertex;
  }

  #blendOf(scenery: Scenery): RawShaderMaterial | null {
    const bare = this.#input && isBare(this.#input.compiled.blend);
    return this.#textures || bare ? (this.#blends.get(scenery)?.material ?? null) : null;
  }

  /** The name of what a picture is drawn with; null while what it needs is on its way. */
  nameOf(scenery: Scenery, view: View, beside: View | null): string | null {
    const found = this.materialFor(scenery, view, true);
    if (!found || !this.#input) return null;
    const stage =
      view.lens !== "blend" ? "" : this.#blendOf(scenery) ? "all" : this.#bare ? "ground" : "clay";
    const structure = (view.program?.compiled ?? this.#input.compiled.blend).structure;
    return [
      view.lens,
      stage,
      structure,
      beside && `${beside.lens}${beside.program?.compiled.structure ?? ""}`,
    ].join();
  }

  /** What a scenery hides of the light with: it lies where the blend puts it. */
  hidingFor(scenery: Scenery): RawShaderMaterial {
    return this.#blends.get(scenery)?.hiding ?? this.#hiding;
  }

  /** What the edges of a scenery are drawn with in a view. */
  wireFor(scenery: Scenery, view: View): RawShaderMaterial {
    return (this.moves(view) && this.#blends.get(scenery)?.wire) || this.#wire;
  }

  /** What stands about is of clay. hiding: only what it hides of the light. */
  standing(hiding: boolean): RawShaderMaterial {
    const alone = { ...this.#over, ground: null };
    return hiding
      ? this.#kept("standing/hiding", () => hidingMaterial(null, alone))
      : this.#kept("standing", () => clayMaterial(alone));
  }

  /** What to draw a scenery with; null while it is not there yet. main: it is the one that is painted. */
  materialFor(scenery: Scenery, view: View, main: boolean): RawShaderMaterial | RawShaderMaterial[] | null {
    const { lens } = view;
    if (lens === "clay") return this.#clay;
    if (lens === "blend") return this.#blendOf(scenery) ?? this.#bare?.material ?? this.#clay;
    if (view.program) return this.#valueMaterial(scenery, view.program);
    if (isProgrammed(lens)) return null;
    if (lens === "groups") return this.#groupMaterials(scenery);
    if (lens === "grain" || lens === "distance") {
      if (!scenery.geometry.attributes[lens]) return null;
      const material = this.#kept(lens, () => lengthMaterial(lens, this.#over));
      (material.uniforms["range"]!.value as Vector2).set(...view.range);
      return material;
    }
    const source = scenery.sources[view.set];
    if (!source) return null;
    const reader = { index: view.set, source };
    const material = this.#kept(`${lens}${source.kind}${view.set}/${main ? 0 : 1}`, () =>
      lens === "channel" ? channelMaterial(reader, this.#over) : setMaterial(reader, this.#over),
    );
    if (lens === "channel") {
      const pick = [0, 1, 2, 3].map((c) => +(c === view.channel)) as [number, number, number, number];
      (material.uniforms["pick"]!.value as Vector4).set(...pick);
    }
    return material;
  }

  #groupMaterials(scenery: Scenery): RawShaderMaterial[] {
    return Array.from({ length: scenery.materials }, (_, i) =>
      this.#kept(`group${i}`, () => plainMaterial(groupColour(i), 1, this.#over)),
    );
  }

  #kept(key: string, make: () => RawShaderMaterial): RawShaderMaterial {
    let found = this.#flat.get(key);
    if (!found) this.#flat.set(key, (found = make()));
    return found;
  }

  dispose(): void {
    this.#gone = true;
    this.#textures?.dispose();
    this.#fresh?.dispose();
    this.#lensTextures?.dispose();
    this.#forgetBare();
    this.#clay.dispose();
    this.#hiding.dispose();
    this.#wire.dispose();
    for (const scenery of this.#blends.keys()) this.#letGo(scenery);
    for (const material of this.#flat.values()) material.dispose();
  }
}
