/** The edges of what is drawn, over any lens: those that something hides are hidden. */

import {
  BufferAttribute,
  BufferGeometry,
  InstancedBufferGeometry,
  LineSegments,
  type RawShaderMaterial,
} from "three";

/** Each edge once. index: three corners a triangle. */
export function edgesOf(index: ArrayLike<number>, vertices: number): Uint32Array {
  const known = new Set<number>();
  const out: number[] = [];
  for (let t = 0; t < index.length; t += 3) {
    for (let k = 0; k < 3; k++) {
      const [a, b] = [index[t + k]!, index[t + ((k + 1) % 3)]!];
      const [low, high] = a < b ? [a, b] : [b, a];
      const key = low * vertices + high;
      if (known.has(key)) continue;
      known.add(key);
      out.push(low, high);
    }
  }
  return new Uint32Array(out);
}

export class Wires {
  readonly lines: LineSegments;
  readonly #geometry: BufferGeometry;

  constructor(readonly of: BufferGeometry) {
    const instanced = of instanceof InstancedBufferGeometry;
    this.#geometry = instanced ? new InstancedBufferGeometry() : new BufferGeometry();
    this.#geometry.attributes = of.attributes;
    const vertices = (of.attributes["position"] ?? of.attributes["corner"])!.count;
    this.#geometry.setIndex(new BufferAttribute(edgesOf(of.index!.array, vertices), 1));
    this.lines = new LineSegments(this.#geometry);
    this.lines.frustumCulled = false;
    this.lines.renderOrder = 3;
  }

  /** Be drawn with a material. */
  with(material: RawShaderMaterial): LineSegments {
    this.lines.material = material;
    if (this.of instanceof InstancedBufferGeometry)
      (this.#geometry as InstancedBufferGeometry).instanceCount = this.of.instanceCount;
    return this.lines;
  }

  dispose(): void {
    this.#geometry.dispose();
  }
}
