/** Other surfaces of the project that stand around the one that is painted: shown by their own blends, in the Blend lens. */

import { Matrix4, Sphere, Vector3, type RawShaderMaterial, type Scene } from "three";

import { splitFrames } from "../state/frames";
import { answer, bytes, server } from "../state/server";
import type { MaterialView, Neighbour, SurfaceView } from "../state/types";
import { parseGeometry, type SurfaceGeometry } from "./geometry";
import type { Shared } from "./materials";
import { Programs, type Link } from "./programs";
import { Scenery } from "./scenery";
import { sourcesFor } from "./values";

/** A surface as it is fetched once, however often it stands here. */
interface Fetched {
  view: SurfaceView;
  geometry: SurfaceGeometry;
  values: ArrayBuffer;
}

/** One neighbour, with programs of its own: eye and light are told in its own metres. */
class Standing {
  readonly #scenery: Scenery;
  readonly #programs: Programs;
  readonly #back = new Matrix4();

  constructor(
    { view, geometry, values }: Fetched,
    materials: MaterialView[],
    onChange: () => void,
    link: Link,
  ) {
    const sets = view.channel_sets;
    const own = geometry.geometry.attributes["position"]!.count - geometry.extras.length;
    const sources = sourcesFor(sets, () => own);
    for (const frame of splitFrames(values)) sources[frame.set]?.apply(frame);
    const copy = { ...geometry, geometry: geometry.geometry.clone() };
    copy.geometry.setIndex(geometry.geometry.index);
    this.#scenery = new Scenery(
      copy,
      sets.map((set, i) => (set.sites.kind === "vertices" && set.sites.level ? null : sources[i]!)),
    );
    this.#programs = new Programs(sets, null, onChange, link, onChange);
    const { compiled, document } = view.blend;
    this.#programs.fit([this.#scenery], {
      compiled: { blend: compiled, from: document },
      document,
      materials,
    });
    this.#scenery.mesh.matrixAutoUpdate = false;
  }

  get waiting(): boolean {
    return this.#programs.waiting;
  }

  sharpen(anisotropy: number): void {
    this.#programs.sharpen(anisotropy);
  }

  /** place: of its origin in the scene. */
  stand(place: Vector3, turn: number): void {
    const { facts, mesh } = this.#scenery;
    const own = new Matrix4().makeTranslation(facts["origin_x"]!, facts["origin_y"]!, facts["origin_z"]!);
    mesh.matrix
      .makeTranslation(place)
      .multiply(new Matrix4().makeRotationY((turn * Math.PI) / 180))
      .multiply(own);
    mesh.matrixWorldNeedsUpdate = true;
    this.#back.copy(mesh.matrix).invert();
  }

  /** What it lies in, in the scene. */
  get bounds(): Sphere {
    const { geometry, mesh } = this.#scenery;
    if (!geometry.boundingSphere) geometry.computeBoundingSphere();
    return geometry.boundingSphere!.clone().applyMatrix4(mesh.matrix);
  }

  /** Join a scene, if there is anything to be drawn with. */
  join(scene: Scene, { eye, light }: Shared): void {
    const shared = this.#programs.shared;
    shared.eye.value.copy(eye.value).applyMatrix4(this.#back);
    shared.light.value.copy(light.value).transformDirection(this.#back);
    const view = { lens: "blend", set: 0, channel: 0, range: [0, 1], program: null } as const;
    const material = this.#programs.materialFor(this.#scenery, { ...view, range: [0, 1] }, true);
    if (!material) return;
    this.#scenery.mesh.material = material as RawShaderMaterial;
    scene.add(this.#scenery.mesh);
  }

  leave(scene: Scene): void {
    scene.remove(this.#scenery.mesh);
  }

  dispose(): void {
    this.#programs.dispose();
    for (const source of this.#scenery.sources) source?.dispose();
    this.#scenery.dispose();
  }
}

async function fetched(ident: string): Promise<Fetched> {
  const params = { path: { ident } };
  const [view, geometry, values] = await Promise.all([
    answer<SurfaceView>(server.GET("/api/surfaces/{ident}", { params })),
    bytes(`/api/surfaces/${ident}/geometry`),
    bytes(`/api/surfaces/${ident}/values`),
  ]);
  return { view, geometry: parseGeometry(geometry), values };
}

export class Neighbours {
  #known = new Map<string, Promise<Fetched>>();
  #standing: { surface: string; standing: Standing }[] = [];
  #asked = 0;
  #coming = 0;

  constructor(
    private readonly origin: Vector3,
    private readonly onChange: () => void,
    private readonly link: Link,
  ) {}

  sharpen(anisotropy: number): void {
    for (const { standing } of this.#standing) standing.sharpen(anisotropy);
  }

  get waiting(): boolean {
    return this.#coming > 0 || this.#standing.some(({ standing }) => standing.waiting);
  }

  /** Have these stand at these places of the world; those that stood already only move. */
  async show(
    neighbours: Neighbour[],
    places: [number, number, number][],
    materials: MaterialView[],
  ): Promise<void> {
    const asked = ++this.#asked;
    this.#coming++;
    try {
      const found = await Promise.all(
        neighbours.map(({ surface }) => {
          const known = this.#known.get(surface) ?? fetched(surface);
          this.#known.set(surface, known);
          return known;
        }),
      );
      if (asked !== this.#asked) return;
      const free = [...this.#standing];
      this.#standing = neighbours.map(({ surface, turn }, i) => {
        const at = free.findIndex((one) => one.surface === surface);
        const one =
          at >= 0
            ? free.splice(at, 1)[0]!
            : { surface, standing: new Standing(found[i]!, materials, this.onChange, this.link) };
        one.standing.stand(new Vector3(...places[i]!).sub(this.origin), turn);
        return one;
      });
      for (const { standing } of free) standing.dispose();
    } finally {
      this.#coming--;
      this.onChange();
    }
  }

  /** What each lies in, in the scene; none while they are on their way. */
  get bounds(): Sphere[] {
    return this.#standing.map(({ standing }) => standing.bounds);
  }

  /** Draw with what stands here in the scene. */
  amid(scene: Scene, shared: Shared, draw: () => void): void {
    for (const { standing } of this.#standing) standing.join(scene, shared);
    draw();
    for (const { standing } of this.#standing) standing.leave(scene);
  }

  dispose(): void {
    this.#asked++;
    for (const { standing } of this.#standing) standing.dispose();
  }
}
