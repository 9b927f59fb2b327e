/** The blend's uniforms, set from a document. */

import { Vector2, Vector3, Vector4, type RawShaderMaterial } from "three";

import { worth, type Expression } from "../state/host";
import type { BlendDocument, CompiledBlend } from "../state/types";

const VECTORS = [Vector2, Vector3, Vector4];

/** Set the blend's uniforms from a document of the same structure. */
export function bindUniforms(
  target: RawShaderMaterial,
  compiled: CompiledBlend,
  document: BlendDocument,
  facts: Record<string, number>,
): void {
  for (const { name, values } of compiled.uniforms) {
    const parts = values.map((v) => worth(v as Expression, document, facts));
    const Vector = VECTORS[parts.length - 2];
    target.uniforms[name]!.value = Vector ? new Vector().fromArray(parts) : parts[0];
  }
  for (const { name, entries } of compiled.tables) target.uniforms[name]!.value = new Float32Array(entries);
}
