/** Shader materials for the lenses. The blend's comes from the server; the others only show. */

import { Color, DoubleSide, GLSL3, RawShaderMaterial, Vector2, Vector4, type IUniform } from "three";

import type { CompiledBlend } from "../state/types";
import { CLAY, type Illumination, type Own } from "./light/illumination";
import {
  BY_EYE,
  CIVIDIS_GLSL,
  DULL,
  HEAD,
  SHADING,
  typeOf,
  varyings,
  vertexShader,
  type VertexInput,
} from "./shading";
import { terrainFragment, terrainVertexShader } from "./terrain/shaders";
import type { TerrainGround } from "./terrain/ground";
import type { SetSource, TexelGrid, TexelValues } from "./values";

/** What every program of a picture shares: eye and light in its own metres and for all, and the terrain that is drawn, if it is one. */
export interface Over {
  own: Own;
  light: Illumination;
  ground: TerrainGround | null;
}

const PLACE: VertexInput[] = [
  { name: "position", type: "vec3" },
  { name: "normal", type: "vec3" },
];

/** How much of the sky the shape around hides; 0 where nobody has told. */
const CLOSED: VertexInput = { name: "closed", type: "float" };

function material(
  over: Over,
  inputs: VertexInput[],
  fragment: string,
  uniforms: Record<string, IUniform>,
  moving?: { declare: string; fill: string },
): RawShaderMaterial {
  const { ground, own, light } = over;
  const all = { ...own, ...light.all, ...uniforms };
  if (ground) {
    return new RawShaderMaterial({
      glslVersion: GLSL3,
      side: DoubleSide,
      vertexShader: terrainVertexShader(inputs, ground.glsl, moving),
      fragmentShader: HEAD + terrainFragment(inputs, ground.glsl, fragment),
      uniforms: { ...all, ...ground.uniforms },
    });
  }
  return new RawShaderMaterial({
    glslVersion: GLSL3,
    side: DoubleSide,
    vertexShader: vertexShader(inputs, moving),
    fragmentShader: HEAD + varyings(inputs) + fragment,
    uniforms: all,
  });
}

/**
 * The normal of the side that is seen. A back shows its front's normal where that is turned to the eye all the same: leaves
 * that are lit like the bush that they make.
 */
const TURNED = "normalize(gl_FrontFacing || dot(v_normal, eye - v_position) > 0.0 ? v_normal : -v_normal)";

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

function reading({ index, source }: SetReader, prefix = "v_"): Read {
  if (source.kind === "vertex") {
    const name = `set${index}`;
    return { inputs: [{ name, type: "vec4" }], declare: "", value: `${prefix}${name}`, uniforms: {} };
  }
  const name = `splat${index}`;
  const { grid, texture } = source as TexelValues;
  return {
    inputs: [{ name: grid.uv, type: "vec2" }],
    declare: filtered(name, grid),
    value: `filtered_${name}(${prefix}${grid.uv})`,
    uniforms: { [name]: { value: texture } },
  };
}

/**
 * A map of 16-bit values, bilinear between texel centres and clamped at its edge, as the core samples it.
 * Graphics cards filter normalised textures of 8 bits only as a matter of course, and eight bits cost a
 * tenth of a weight at a sharp interlock.
 */
function filtered(name: string, { cols, rows, shift }: TexelGrid): string {
  const number = (value: number) => value.toFixed(1);
  return `uniform usampler2D ${name};
vec4 filtered_${name}(vec2 uv) {
  ivec2 last = ivec2(${cols - 1}, ${rows - 1});
  vec2 at = uv * vec2(${number(cols - 1 + 2 * shift)}, ${number(rows - 1 + 2 * shift)}) - ${number(shift)};
  at = clamp(at, vec2(-1.0), vec2(last + 1));
  vec2 low = floor(at), f = at - low;
  ivec2 a = clamp(ivec2(low), ivec2(0), last), b = clamp(ivec2(low) + 1, ivec2(0), last);
  vec4 near = mix(vec4(texelFetch(${name}, a, 0)), vec4(texelFetch(${name}, ivec2(b.x, a.y), 0)), f.x);
  vec4 far = mix(vec4(texelFetch(${name}, ivec2(a.x, b.y), 0)), vec4(texelFetch(${name}, b, 0)), f.x);
  return mix(near, far, f.y) / 65535.0;
}`;
}

/** How a stage of the blend's shader gets its Site. prefix: of what comes from the stage before. */
function filling(
  members: string[],
  readers: SetReader[],
  prefix: string,
): {
  inputs: Map<string, string>;
  declare: Set<string>;
  lines: string[];
  uniforms: Record<string, IUniform>;
} {
  const inputs = new Map<string, string>();
  const declare = new Set<string>();
  const uniforms: Record<string, IUniform> = {};
  const lines = members.map((member) => {
    const byEye = BY_EYE[member];
    if (byEye) return `  site.${member} = ${byEye(`${prefix}position`)};`;
    if (!member.startsWith("weights")) {
      inputs.set(member, typeOf(member));
      return `  site.${member} = ${prefix}${member};`;
    }
    const read = reading(readers[Number(member.slice(7))]!, prefix);
    for (const input of read.inputs) inputs.set(input.name, input.type);
    if (read.declare) declare.add(read.declare);
    Object.assign(uniforms, read.uniforms);
    return `  site.${member} = ${read.value};`;
  });
  return { inputs, declare, lines, uniforms };
}

/** How a blend moves the places of the surface itself, in a vertex stage. */
interface Moving {
  inputs: Map<string, string>;
  uniforms: Record<string, IUniform>;
  declare: string;
  fill: string;
}

/** The one place where it is said, for whatever draws the surface: its colour, and where it hides something. */
function moving(compiled: CompiledBlend, readers: SetReader[]): Moving | undefined {
  if (!compiled.vertex) return undefined;
  const { inputs, uniforms, declare, lines } = filling(compiled.vertex_inputs, readers, "");
  return {
    inputs,
    uniforms,
    declare: `${[...declare].map((d) => `precision highp usampler2D;\n${d}`).join("\n")}\n${compiled.vertex}`,
    fill: `  Site site;\n${lines.join("\n")}\n  place -= normal * blended(site).sink;`,
  };
}

/** The compiled blend inside the shading. readers: of each channel set that it reads, in its order. */
export function blendMaterial(compiled: CompiledBlend, readers: SetReader[], over: Over): RawShaderMaterial {
  const { inputs, declare, lines, uniforms } = filling(compiled.inputs, readers, "v_");
  for (const { name, type } of [...PLACE, CLOSED]) inputs.set(name, type);
  const moves = moving(compiled, readers);
  for (const [name, type] of moves?.inputs ?? []) inputs.set(name, type);
  Object.assign(uniforms, moves?.uniforms);
  const fragment = `
${[...declare].join("\n")}
${compiled.glsl}
${SHADING}
void main() {
  vec3 n = ${TURNED};
  Site site;
${lines.join("\n")}
${compiled.inputs.includes("normal") ? "  site.normal = n;" : ""}
  Blended b = blended(site);
  Matter m = Matter(b.albedo, normalize(b.normal), b.roughness, b.occlusion, b.metallic, b.emission, b.thin);
  colour = vec4(in_the_light(m, v_position, v_closed), 1.0);
}
`;
  for (const { name } of [...compiled.uniforms, ...compiled.tables]) uniforms[name] = { value: 0 };
  const packs = {
    pack_surface: { value: null },
    pack_detail: { value: null },
    pack_picture: { value: null },
  };
  const wanted = [...inputs].map(([name, type]) => ({ name, type }));
  return material(over, wanted, fragment, { ...packs, ...uniforms }, moves);
}

/** What a surface is drawn with where only its place counts. blend: the one that moves it, if one does. */
export interface Placed {
  compiled: CompiledBlend;
  readers: SetReader[];
}

function placedMaterial(blend: Placed | null, over: Over, fragment: string): RawShaderMaterial {
  const moves = blend ? moving(blend.compiled, blend.readers) : undefined;
  const inputs = new Map<string, string>(moves?.inputs);
  if (moves) for (const { name, type } of PLACE) inputs.set(name, type);
  else inputs.set("position", "vec3");
  const uniforms: Record<string, IUniform> = { ...moves?.uniforms };
  if (blend && moves)
    for (const { name } of [...blend.compiled.uniforms, ...blend.compiled.tables])
      uniforms[name] = { value: 0 };
  const wanted = [...inputs].map(([name, type]) => ({ name, type }));
  return material(over, wanted, fragment, uniforms, moves);
}

/** What the surface hides of the light. */
export const hidingMaterial = (blend: Placed | null, over: Over): RawShaderMaterial =>
  placedMaterial(blend, over, "out vec4 colour;\nvoid main() { colour = vec4(1.0); }\n");

/** Its edges. They are drawn a hair nearer than the surface, or it would hide parts of them. */
export function wireMaterial(blend: Placed | null, over: Over): RawShaderMaterial {
  const made = placedMaterial(
    blend,
    over,
    "out vec4 colour;\nvoid main() { colour = vec4(0.02, 0.05, 0.045, 0.62); }\n",
  );
  const end = made.vertexShader.lastIndexOf("}");
  made.vertexShader = `${made.vertexShader.slice(0, end)}  gl_Position.z -= 2e-5 * gl_Position.w;\n}\n`;
  made.transparent = true;
  made.depthWrite = false;
  return made;
}

/** Shape and light alone. */
export function clayMaterial(over: Over): RawShaderMaterial {
  return material(
    over,
    [...PLACE, CLOSED],
    `
${DULL}
uniform vec3 clay;
void main() {
  vec3 n = ${TURNED};
  colour = vec4(dull_in_the_light(clay, n, v_position, v_closed), 1.0);
}
`,
    { clay: { value: CLAY } },
  );
}

/** One number of the blend or of a recipe at every place, 0..1, on an even scale. */
export function valueMaterial(compiled: CompiledBlend, readers: SetReader[], over: Over): RawShaderMaterial {
  const { inputs, declare, lines, uniforms } = filling(compiled.inputs, readers, "v_");
  for (const { name, type } of PLACE) inputs.set(name, type);
  for (const { name } of [...compiled.uniforms, ...compiled.tables]) uniforms[name] = { value: 0 };
  const packs = {
    pack_surface: { value: null },
    pack_detail: { value: null },
    pack_picture: { value: null },
  };
  const fragment = `
${[...declare].join("\n")}
${compiled.glsl}
${DIM_LIGHT}${CIVIDIS_GLSL}
void main() {
  Site site;
${lines.join("\n")}
${compiled.inputs.includes("normal") ? "  site.normal = normalize(gl_FrontFacing ? v_normal : -v_normal);" : ""}
  colour = vec4(scaled(blended(site).value) * shade(), 1.0);
}
`;
  const wanted = [...inputs].map(([name, type]) => ({ name, type }));
  return material(over, wanted, fragment, { ...packs, ...uniforms });
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
export function channelMaterial(reader: SetReader, over: Over): RawShaderMaterial {
  const read = reading(reader);
  return material(
    over,
    [...PLACE, ...read.inputs],
    `
uniform vec4 pick;
${read.declare}
${DIM_LIGHT}${CIVIDIS_GLSL}
void main() { colour = vec4(scaled(dot(${read.value}, pick)) * shade(), 1.0); }
`,
    { ...read.uniforms, pick: { value: new Vector4(1, 0, 0, 0) } },
  );
}

/** R, G and B of a set as they are. */
export function setMaterial(reader: SetReader, over: Over): RawShaderMaterial {
  const read = reading(reader);
  return material(
    over,
    [...PLACE, ...read.inputs],
    `
${read.declare}
${DIM_LIGHT}
void main() { colour = vec4((${read.value}).rgb * shade(), 1.0); }
`,
    { ...read.uniforms },
  );
}

/** A length at each vertex on an even scale over its logarithm: light is large. */
export function lengthMaterial(attribute: "grain" | "distance", over: Over): RawShaderMaterial {
  return material(
    over,
    [...PLACE, { name: attribute, type: "float" }],
    `
uniform vec2 range;
${DIM_LIGHT}${CIVIDIS_GLSL}
void main() {
  float at = log2(max(v_${attribute}, range.x) / range.x) / max(log2(range.y / range.x), 1e-6);
  colour = vec4(scaled(at) * shade(), 1.0);
}
`,
    { range: { value: new Vector2(0.01, 1) } },
  );
}

/** One colour, for a group of faces. */
export function plainMaterial(colour: Color, opacity: number, over: Over): RawShaderMaterial {
  const made = material(
    over,
    PLACE,
    `
uniform vec3 tint;
uniform float opacity;
${DIM_LIGHT}
void main() { colour = vec4(tint * shade(), opacity); }
`,
    { tint: { value: colour }, opacity: { value: opacity } },
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
