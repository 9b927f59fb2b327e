/** A figure of 1.8 metres and a cube of one, beside what is looked at. */

import {
  BoxGeometry,
  BufferGeometry,
  CapsuleGeometry,
  Group,
  Mesh,
  SphereGeometry,
  type RawShaderMaterial,
} from "three";
import { mergeGeometries } from "three/examples/jsm/utils/BufferGeometryUtils.js";

/** Somebody standing, in metres from the ground. */
function somebody(): BufferGeometry {
  const limb = (radius: number, length: number, x: number, y: number, lean = 0) =>
    new CapsuleGeometry(radius, length, 6, 16).rotateZ(lean).translate(x, y, 0);
  const parts = [
    new SphereGeometry(0.105, 20, 14).scale(0.9, 1.12, 1).translate(0, 1.682, 0.01),
    new CapsuleGeometry(0.05, 0.08, 4, 12).translate(0, 1.53, 0),
    new CapsuleGeometry(0.15, 0.34, 8, 20).scale(1.2, 1, 0.72).translate(0, 1.21, 0),
    limb(0.08, 0.72, -0.095, 0.45, 0.03),
    limb(0.08, 0.72, 0.095, 0.45, -0.03),
    limb(0.048, 0.56, -0.245, 1.1, -0.1),
    limb(0.048, 0.56, 0.245, 1.1, 0.1),
  ];
  return mergeGeometries(parts.map((part) => part.toNonIndexed()));
}

export class Figure {
  readonly group = new Group();
  readonly #meshes: Mesh[];

  constructor(material: RawShaderMaterial) {
    const cube = new BoxGeometry(1, 1, 1).translate(0, 0.5, 0).toNonIndexed();
    this.#meshes = [somebody(), cube].map((geometry) => {
      geometry.addGroup(0, Infinity, 0);
      const mesh = new Mesh(geometry, material);
      mesh.frustumCulled = false;
      this.group.add(mesh);
      return mesh;
    });
  }

  /** Stand at a place, the cube beside it. */
  stand(x: number, y: number, z: number): void {
    this.#meshes.forEach((mesh, i) => {
      mesh.position.set(x + 0.95 * i, y, z - 0.95 * i);
      mesh.updateMatrixWorld();
    });
  }

  draw(material: RawShaderMaterial): void {
    for (const mesh of this.#meshes) mesh.material = material;
  }

  dispose(): void {
    for (const mesh of this.#meshes) mesh.geometry.dispose();
  }
}
