/** Shader materials for the lenses. The blend's comes from the server; the others only show. */

import { Color, DoubleSide, GLSL3, RawShaderMaterial, Vector2, Vector3, Vector4, type IUniform } from "three";

import type { BlendDocument, CompiledBlend } from "../state/types";
import type { SetSource, TexelValues } from "./geometry";
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

/** How a shader reads the values of one set: from an attribute, or from a texture over the map. */
export interface SetReader {
  index: number;
  source: SetSource;
}

interface Read {
  inputs: VertexInput[];
  declare: string;
  value: string;
  uniforms: Record<string, IUniform>;
}

function reading({ index, source }: SetReader): Read {
  if (source.kind === "vertex") {
    const name = `set${index}`;
    return { inputs: [{ name, type: "vec4" }], declare: "", value: `v_${name}`, uniforms: {} };
  }
  const name = `splat${index}`;
  return {
    inputs: [{ name: "uv", type: "vec2" }],
    declare: `uniform sampler2D ${name};`,
    value: `texture(${name}, v_uv)`,
    uniforms: { [name]: { value: (source as TexelValues).texture } },
  };
}

/** The compiled blend inside the shading. readers: of each channel set that it reads, in its order. */
export function blendMaterial(
  compiled: CompiledBlend,
  readers: SetReader[],
  shared: Shared,
): RawShaderMaterial {
  const wanted = new Map<string, string>(PLACE.map((i) => [i.name, i.type]));
  const declared = new Set<string>();
  const uniforms: Record<string, IUniform> = {
    ...shared,
    pack_surface: { value: null },
    pack_detail: { value: null },
  };
  const fill: string[] = [];
  for (const member of compiled.inputs) {
    if (member === "normal") continue;
    if (member.startsWith("weights")) {
      const read = reading(readers[Number(member.slice(7))]!);
      for (const input of read.inputs) wanted.set(input.name, input.type);
      declared.add(read.declare);
      Object.assign(uniforms, read.uniforms);
      fill.push(`  site.${member} = ${read.value};`);
    } else {
      wanted.set(member, TYPES[member] ?? "vec4");
      fill.push(`  site.${member} = v_${member};`);
    }
  }
  const inputs = [...wanted].map(([name, type]) => ({ name, type }));
  const fragment = `
${[...declared].join("\n")}
${compiled.glsl}
${SHADING}
void main() {
  vec3 n = normalize(gl_FrontFacing ? v_normal : -v_normal);
  Site site;
${fill.join("\n")}
${compiled.inputs.includes("normal") ? "  site.normal = n;" : ""}
  Blended b = blended(site);
  colour = vec4(encoded(toneMapped(lit(b.albedo, normalize(b.normal), b.roughness, b.occlusion, v_position))), 1.0);
}
`;
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
export function channelMaterial(reader: SetReader, shared: Shared): RawShaderMaterial {
  const read = reading(reader);
  return material(
    [...PLACE, ...read.inputs],
    `
uniform vec4 pick;
${read.declare}
${DIM_LIGHT}${CIVIDIS_GLSL}
void main() { colour = vec4(scaled(dot(${read.value}, pick)) * shade(), 1.0); }
`,
    { ...shared, ...read.uniforms, pick: { value: new Vector4(1, 0, 0, 0) } },
  );
}

/** R, G and B of a set as they are. */
export function setMaterial(reader: SetReader, shared: Shared): RawShaderMaterial {
  const read = reading(reader);
  return material(
    [...PLACE, ...read.inputs],
    `
${read.declare}
${DIM_LIGHT}
void main() { colour = vec4((${read.value}).rgb * shade(), 1.0); }
`,
    { ...shared, ...read.uniforms },
  );
}

/** A length at each vertex on an even scale over its logarithm: light is large. */
export function lengthMaterial(attribute: "grain" | "distance", shared: Shared): RawShaderMaterial {
  return material(
    [...PLACE, { name: attribute, type: "float" }],
    `
uniform vec2 range;
${DIM_LIGHT}${CIVIDIS_GLSL}
void main() {
  float at = log2(max(v_${attribute}, range.x) / range.x) / max(log2(range.y / range.x), 1e-6);
  colour = vec4(scaled(at) * shade(), 1.0);
}
`,
    { ...shared, range: { value: new Vector2(0.01, 1) } },
  );
}

/** One colour, for a group of faces. */
export function plainMaterial(colour: Color, opacity: number, shared: Shared): RawShaderMaterial {
  const made = material(
    PLACE,
    `
uniform vec3 tint;
uniform float opacity;
${DIM_LIGHT}
void main() { colour = vec4(tint * shade(), opacity); }
`,
    { ...shared, tint: { value: colour }, opacity: { value: opacity } },
  );
  if (opacity < 1) {
    made.transparent = true;
    made.depthWrite = false;
    made.polygonOffset = true;
    made.polygonOffsetFactor = made.polygonOffsetUnits = -2;
  }
  return made;
}

/** Colours of groups by their number: hues a golden angle apart, alike in lightness. */
export function groupColour(number: number): Color {
  const hue = (number * 0.618034 + 0.08) % 1;
  return new Color().setHSL(hue, 0.38, 0.52 + 0.1 * (number % 3 === 1 ? 1 : number % 3 === 2 ? -1 : 0));
}
