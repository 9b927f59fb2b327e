/** GLSL around the compiled blend: vertex stage, what a pixel gets from it, the scale of lenses. */

import eye from "./light/eye.glsl?raw";
import lit from "./light/lit.glsl?raw";
import shadow from "./light/shadow.glsl?raw";
import sky from "./light/sky.glsl?raw";
import tone from "./light/tone.glsl?raw";

const TYPES: Record<string, string> = {
  position: "vec3",
  normal: "vec3",
  uv: "vec2",
  grain: "float",
  distance: "float",
};

/** The type of a vertex input by its name; further UV sets have a number behind it. */
export const typeOf = (name: string): string => TYPES[name.replace(/\d+$/, "")] ?? "vec4";

/** What a place knows of the eye, by the place's name in the shader. */
export const BY_EYE: Record<string, (place: string) => string> = {
  view: (place) => `normalize(eye - ${place})`,
  away: (place) => `distance(eye, ${place})`,
};

export interface VertexInput {
  name: string;
  type: string;
}

/** moving: declarations of a blend that moves the surface, and how its Site is filled; see blendMaterial. */
export function vertexShader(inputs: VertexInput[], moving = { declare: "", fill: "" }): string {
  return `precision highp float;
precision highp int;
precision highp sampler2DArray;
uniform mat4 modelViewMatrix, projectionMatrix;
uniform vec3 eye;
${inputs.map((i) => `in ${i.type} ${i.name}; out ${i.type} v_${i.name};`).join("\n")}
${moving.declare}
void main() {
  vec3 place = position;
${moving.fill}
${inputs.map((i) => `  v_${i.name} = ${i.name === "position" ? "place" : i.name};`).join("\n")}
  gl_Position = projectionMatrix * modelViewMatrix * vec4(place, 1.0);
}
`;
}

export function varyings(inputs: VertexInput[]): string {
  return inputs.map((i) => `in ${i.type} v_${i.name};`).join("\n");
}

export const HEAD = `precision highp float;
precision highp int;
precision highp sampler2D;
precision highp usampler2D;
precision highp sampler2DArray;
`;

/** Light on what the blend says: see light/. */
const LIGHT = `${tone}${sky}${shadow}${eye}
out vec4 colour;
vec3 plane_of(vec3 place) {
  return normalize(cross(dFdx(place), dFdy(place)));
}
`;

/** Dull matter, for what shows a shape alone: little text, so that it is built at once. */
export const DULL = `${LIGHT}
vec3 dull_in_the_light(vec3 albedo, vec3 normal, vec3 place, float closed) {
  vec3 plane = plane_of(place);
  float falls = max(dot(normal, toward_light(place)), 0.0);
  vec3 direct = falls > 0.0 ? key_at(place) * (falls * arrived(place, plane) / PI) : vec3(0.0);
  return shown(albedo * (direct + fallen(normal) * left_open(1.0 - closed, albedo)));
}
`;

export const SHADING = `${LIGHT}${lit}
vec3 in_the_light(Matter m, vec3 place, float closed) {
  vec3 v = normalize(eye - place), l = toward_light(place);
  vec3 plane = plane_of(place);
  float reached = m.thin > 0.0 || dot(m.normal, l) > 0.0 ? arrived(place, plane) : 0.0;
  vec3 mirrored = seen_towards(reflect(-v, m.normal), m.roughness);
  vec3 behind = m.thin > 0.0 ? fallen(-m.normal) : vec3(0.0);
  Falling falls = Falling(key_at(place) * reached, fallen(m.normal), mirrored, 1.0 - closed, behind);
  return shown(lit(m, falls, v, l));
}
`;

/** Cividis (Nuñez, Anderton and Renslow 2018), thirteen even steps of its table, sRGB bytes. */
const CIVIDIS = [
  [0, 34, 78], [0, 49, 112], [42, 63, 109], [67, 78, 108], [87, 93, 109], [106, 108, 113], [125, 124, 120],
  [145, 139, 120], [165, 156, 116], [188, 174, 108], [210, 192, 96], [233, 211, 78], [254, 232, 56],
]; // prettier-ignore

export const CIVIDIS_GLSL = `
const vec3 SCALE[${CIVIDIS.length}] = vec3[](${CIVIDIS.map((c) => `vec3(${c.map((b) => (b / 255).toFixed(4)).join(",")})`).join(", ")});
vec3 scaled(float value) {
  float at = clamp(value, 0.0, 1.0) * ${(CIVIDIS.length - 1).toFixed(1)};
  int low = min(int(at), ${CIVIDIS.length - 2});
  return mix(SCALE[low], SCALE[low + 1], at - float(low));
}
`;

/** The same scale for legends outside the viewport. */
export const CIVIDIS_STOPS = CIVIDIS.map((c) => `rgb(${c.join(" ")})`);
export const CIVIDIS_CSS = `linear-gradient(to right, ${CIVIDIS_STOPS.join(", ")})`;
