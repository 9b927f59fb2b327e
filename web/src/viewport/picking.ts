/** Where a ray meets the surface. */

import {
  Ray,
  Triangle,
  Vector2,
  Vector3,
  DoubleSide,
  type BufferGeometry,
  type Camera,
  Raycaster,
} from "three";
import { MeshBVH, type SerializedBVH } from "three-mesh-bvh";

export interface Hit {
  position: Vector3;
  /** Of the triangle, turned towards the viewer. */
  normal: Vector3;
  triangle: number;
  barycentric: [number, number, number];
}

/** Where rays meet what is painted. hidden: runs of triangles that are not shown, and so cannot be met. */
export interface Picking {
  readonly ready: boolean;
  hidden: { first: number; count: number }[];
  prepare(): void;
  /** at: normalised device coordinates. */
  hit(at: Vector2, camera: Camera): Hit | null;
  /** The surface near a place, looked for along a direction from `above` metres over it to as far below. */
  drop(place: Vector3, up: Vector3, above: number): Vector3 | null;
  dispose(): void;
}

export class Picker implements Picking {
  #bvh: MeshBVH | null = null;
  readonly #raycaster = new Raycaster();
  readonly #corner = new Triangle();
  readonly #inside = new Vector3();
  readonly #ray = new Ray();
  #worker: Worker | null = null;

  constructor(
    private readonly geometry: BufferGeometry,
    private readonly onReady: () => void,
  ) {}

  /** Build the hierarchy in a worker; until it is there, nothing is hit. */
  prepare(): void {
    const worker = new Worker(new URL("./hierarchy.worker.ts", import.meta.url), { type: "module" });
    this.#worker = worker;
    worker.onmessage = (event: MessageEvent<SerializedBVH>) => {
      this.#bvh = MeshBVH.deserialize(event.data, this.geometry, { setIndex: false });
      worker.terminate();
      this.onReady();
    };
    // Copies: the page goes on using its own arrays.
    const positions = new Float32Array(this.geometry.attributes["position"]!.array);
    const triangles = new Uint32Array(this.geometry.index!.array);
    worker.postMessage({ positions, triangles }, [positions.buffer, triangles.buffer]);
  }

  get ready(): boolean {
    return this.#bvh !== null;
  }

  hidden: { first: number; count: number }[] = [];

  hit(at: Vector2, camera: Camera): Hit | null {
    if (!this.#bvh) return null;
    this.#raycaster.setFromCamera(at, camera);
    return this.#cast(this.#raycaster.ray, Infinity);
  }

  drop(place: Vector3, up: Vector3, above: number): Vector3 | null {
    if (!this.#bvh) return null;
    this.#ray.origin.copy(place).addScaledVector(up, above);
    this.#ray.direction.copy(up).negate();
    return this.#cast(this.#ray, 2 * above)?.position ?? null;
  }

  #cast(ray: Ray, far: number): Hit | null {
    const found = this.hidden.length
      ? this.#bvh!.raycast(ray, DoubleSide, 0, far)
          .filter((hit) => !this.#isHidden(hit.faceIndex ?? -1))
          .sort((a, b) => a.distance - b.distance)[0]
      : this.#bvh!.raycastFirst(ray, DoubleSide, 0, far);
    if (!found || found.faceIndex === undefined || found.faceIndex === null) return null;
    const index = this.geometry.index!.array;
    const position = this.geometry.attributes["position"]!;
    const first = 3 * found.faceIndex;
    this.#corner.setFromAttributeAndIndices(position, index[first]!, index[first + 1]!, index[first + 2]!);
    this.#corner.getBarycoord(found.point, this.#inside);
    const normal = this.#corner.getNormal(new Vector3());
    if (normal.dot(ray.direction) > 0) normal.negate();
    return {
      position: found.point,
      normal,
      triangle: found.faceIndex,
      barycentric: [this.#inside.x, this.#inside.y, this.#inside.z],
    };
  }

  #isHidden(triangle: number): boolean {
    return this.hidden.some((run) => triangle >= run.first && triangle < run.first + run.count);
  }

  dispose(): void {
    this.#worker?.terminate();
  }
}
