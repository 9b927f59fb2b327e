/** Shader materials for the lenses. The blend's comes from the server; the others only show. */

import { DoubleSide, GLSL3, RawShaderMaterial, Vector3, Vector4, type IUniform } from "three";

import type { BlendDocument, CompiledBlend } from "../state/types";
import { CIVIDIS_GLSL, HEAD, SHADING, TYPES, varyings, vertexShader, type VertexInput } from "./shading";

export interface Shared {
  eye: IUniform<Vector3>;
  light: IUniform<Vector3>;
}

/** The value at a JSON pointer (RFC 6901, without escapes: our names need none). */
export function atPath(document: unknown, path: string): unknown {
  return path
    .split("/")
    .slice(1)
    .reduce<unknown>((at, step) => (at as Record<string, unknown>)[step], document);
}

const PLACE: VertexInput[] = [
  { name: "position", type: "vec3" },
  { name: "normal", type: "vec3" },
];

function material(
  inputs: VertexInput[],
  fragment: string,
  uniforms: Record<string, IUniform>,
): RawShaderMaterial {
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    side: DoubleSide,
    vertexShader: vertexShader(inputs),
    fragmentShader: HEAD + varyings(inputs) + fragment,
    uniforms,
  });
}

/** The compiled blend inside the shading. setIndices: number on the surface of each channel set it reads. */
export function blendMaterial(
  compiled: CompiledBlend,
  setIndices: number[],
  shared: Shared,
): RawShaderMaterial {
  const members = compiled.inputs;
  const source = (member: string) =>
    member.startsWith("weights") ? `set${setIndices[Number(member.slice(7))]}` : member;
  const wanted = new Map<string, string>(PLACE.map((i) => [i.name, i.type]));
  for (const member of members) wanted.set(source(member), TYPES[member] ?? "vec4");
  const inputs = [...wanted].map(([name, type]) => ({ name, type }));
  const fill = members
    .filter((member) => member !== "normal")
    .map((member) => `  site.${member} = v_${source(member)};`)
    .join("\n");
  const fragment = `
${compiled.glsl}
${SHADING}
void main() {
  vec3 n = normalize(gl_FrontFacing ? v_normal : -v_normal);
  Site site;
${fill}
${members.includes("normal") ? "  site.normal = n;" : ""}
  Blended b = blended(site);
  colour = vec4(encoded(toneMapped(lit(b.albedo, normalize(b.normal), b.roughness, b.occlusion, v_position))), 1.0);
}
`;
  const uniforms: Record<string, IUniform> = {
    ...shared,
    pack_surface: { value: null },
    pack_detail: { value: null },
  };
  for (const binding of compiled.uniforms) uniforms[binding.name] = { value: 0 };
  return material(inputs, fragment, uniforms);
}

const READINGS: Record<CompiledBlend["uniforms"][number]["reading"], (value: number) => number> = {
  value: (value) => value,
  cosine: (degrees) => Math.cos((degrees * Math.PI) / 180),
  sine: (degrees) => Math.sin((degrees * Math.PI) / 180),
};

/** Set the blend's uniforms from a document of the same structure. */
export function bindUniforms(
  target: RawShaderMaterial,
  compiled: CompiledBlend,
  document: BlendDocument,
  surface: Record<string, number>,
): void {
  for (const { name, path, reading } of compiled.uniforms) {
    const value = Number(path.startsWith("surface:") ? surface[path.slice(8)] : atPath(document, path));
    target.uniforms[name]!.value = READINGS[reading](value);
  }
}

const DIM_LIGHT = `
uniform vec3 eye;
uniform vec3 light;
out vec4 colour;
float shade() {
  vec3 n = normalize(gl_FrontFacing ? v_normal : -v_normal);
  return 0.74 + 0.26 * clamp(0.5 * dot(n, light) + 0.5 * dot(n, normalize(eye - v_position)), -0.6, 1.0);
}
`;

/** One channel on an even scale. */
export function channelMaterial(set: number, shared: Shared): RawShaderMaterial {
  const name = `set${set}`;
  return material(
    [...PLACE, { name, type: "vec4" }],
    `
uniform vec4 pick;
${DIM_LIGHT}${CIVIDIS_GLSL}
void main() { colour = vec4(scaled(dot(v_${name}, pick)) * shade(), 1.0); }
`,
    { ...shared, pick: { value: new Vector4(1, 0, 0, 0) } },
  );
}

/** R, G and B of a set as they are. */
export function setMaterial(set: number, shared: Shared): RawShaderMaterial {
  const name = `set${set}`;
  return material(
    [...PLACE, { name, type: "vec4" }],
    `
${DIM_LIGHT}
void main() { colour = vec4(v_${name}.rgb * shade(), 1.0); }
`,
    { ...shared },
  );
}
