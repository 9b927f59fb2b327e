/** Other surfaces of the project that stand around the one that is painted: shown by their own blends, in the Blend lens. */

import { Matrix4, Mesh, Sphere, Vector3, type Material, type RawShaderMaterial, type Scene } from "three";

import type { MaterialView, Neighbour } from "../state/types";
import type { Illumination, Own } from "./light/illumination";
import type { Link } from "./programs";
import { Stock, type Piece } from "./stock";

/** One place where a piece stands. Eye and light are told in the piece's own metres, anew for each of its places. */
class Standing {
  readonly #mesh: Mesh;
  #tell: (to: Own, own: Matrix4) => void = () => {};

  constructor(readonly piece: Piece) {
    this.#mesh = new Mesh(piece.scenery.mesh.geometry);
    this.#mesh.frustumCulled = false;
    this.#mesh.matrixAutoUpdate = false;
    this.#mesh.onBeforeRender = (_renderer, _scene, _camera, _geometry, material: Material) => {
      this.#tell(piece.own, this.#mesh.matrix);
      // The same material may just have drawn another place of the piece.
      (material as RawShaderMaterial).uniformsNeedUpdate = true;
    };
  }

  /** place: of its origin in the scene. */
  stand(place: Vector3, turn: number): void {
    const { facts } = this.piece.scenery;
    const own = new Matrix4().makeTranslation(facts["origin_x"]!, facts["origin_y"]!, facts["origin_z"]!);
    this.#mesh.matrix
      .makeTranslation(place)
      .multiply(new Matrix4().makeRotationY((turn * Math.PI) / 180))
      .multiply(own);
    this.#mesh.matrixWorldNeedsUpdate = true;
  }

  /** What it lies in, in the scene. */
  get bounds(): Sphere {
    return this.piece.bounds.clone().applyMatrix4(this.#mesh.matrix);
  }

  /** Join a scene, if there is anything to be drawn with. tell: eye and light, as it has them. hiding: only what it hides. */
  join(scene: Scene, tell: (to: Own, own: Matrix4) => void, hiding: boolean): void {
    const material = hiding ? this.piece.hiding : this.piece.material();
    if (!material) return;
    this.#tell = tell;
    this.#mesh.material = material;
    scene.add(this.#mesh);
  }

  leave(scene: Scene): void {
    scene.remove(this.#mesh);
  }
}

export class Neighbours {
  readonly #stock: Stock;
  #standing: Standing[] = [];
  #asked = 0;
  #coming = 0;

  constructor(
    private readonly origin: Vector3,
    private readonly onChange: () => void,
    link: Link,
    light: Illumination,
  ) {
    this.#stock = new Stock(onChange, link, light);
  }

  sharpen(anisotropy: number): void {
    for (const { piece } of this.#standing) piece.sharpen(anisotropy);
  }

  get waiting(): boolean {
    return this.#coming > 0 || this.#standing.some(({ piece }) => piece.waiting);
  }

  /** Have these stand at these places of the world. */
  async show(
    neighbours: Neighbour[],
    places: [number, number, number][],
    materials: MaterialView[],
  ): Promise<void> {
    const asked = ++this.#asked;
    this.#coming++;
    try {
      const pieces = await Promise.all(
        neighbours.map(({ surface }) => this.#stock.piece(surface, materials)),
      );
      if (asked !== this.#asked) return;
      this.#standing = neighbours.map(({ turn }, i) => {
        const standing = new Standing(pieces[i]!);
        standing.stand(new Vector3(...places[i]!).sub(this.origin), turn);
        return standing;
      });
      this.#stock.keepOnly(new Set(neighbours.map(({ surface }) => surface)));
    } finally {
      this.#coming--;
      this.onChange();
    }
  }

  /** What each lies in, in the scene; none while they are on their way. */
  get bounds(): Sphere[] {
    return this.#standing.map((standing) => standing.bounds);
  }

  /** Draw with what stands here in the scene. hiding: only what it hides of the light. */
  amid(scene: Scene, tell: (to: Own, own: Matrix4) => void, hiding: boolean, draw: () => void): void {
    for (const standing of this.#standing) standing.join(scene, tell, hiding);
    draw();
    for (const standing of this.#standing) standing.leave(scene);
  }

  dispose(): void {
    this.#asked++;
    this.#standing = [];
    this.#stock.keepOnly(new Set());
  }
}
