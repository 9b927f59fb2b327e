/**
 * GLSL around the compiled blend: vertex stage, shading, tone map.
 *
 * GGX (Walter et al. 2007) with height-correlated Smith visibility (Heitz 2014), Schlick Fresnel,
 * Lambert; one key light and a two-colour sky, whose mirror part uses the split-sum fit of
 * Karis (2014), "Physically Based Shading on Mobile". Tone map: Khronos PBR Neutral (2024).
 */

export const TYPES: Record<string, string> = {
  position: "vec3",
  normal: "vec3",
  tangent: "vec4",
  uv: "vec2",
  grain: "float",
  distance: "float",
};

export interface VertexInput {
  name: string;
  type: string;
}

export function vertexShader(inputs: VertexInput[]): string {
  return `precision highp float;
uniform mat4 modelViewMatrix, projectionMatrix;
${inputs.map((i) => `in ${i.type} ${i.name}; out ${i.type} v_${i.name};`).join("\n")}
void main() {
${inputs.map((i) => `  v_${i.name} = ${i.name};`).join("\n")}
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
}
`;
}

export function varyings(inputs: VertexInput[]): string {
  return inputs.map((i) => `in ${i.type} v_${i.name};`).join("\n");
}

export const HEAD = `precision highp float;
precision highp int;
precision highp sampler2D;
precision highp sampler2DArray;
`;

export const SHADING = `
uniform vec3 eye;
uniform vec3 light;
out vec4 colour;

const float PI = 3.14159265;
const vec3 KEY = vec3(1.0, 0.975, 0.94) * 2.7;
const vec3 SKY = vec3(0.62, 0.66, 0.70);
const vec3 BELOW = vec3(0.24, 0.23, 0.21);

vec3 skyTowards(vec3 d, float rough) {
  return mix(BELOW, SKY, smoothstep(-0.35 - rough, 0.35 + rough, d.y));
}

vec3 toneMapped(vec3 c) {
  float start = 0.8 - 0.04, desaturation = 0.15;
  float x = min(c.r, min(c.g, c.b));
  c -= x < 0.08 ? x - 6.25 * x * x : 0.04;
  float peak = max(c.r, max(c.g, c.b));
  if (peak < start) return c;
  float d = 1.0 - start;
  float compressed = 1.0 - d * d / (peak + d - start);
  c *= compressed / peak;
  float g = 1.0 - 1.0 / (desaturation * (peak - compressed) + 1.0);
  return mix(c, vec3(compressed), g);
}

vec3 encoded(vec3 c) {
  c = clamp(c, 0.0, 1.0);
  return mix(1.055 * pow(c, vec3(1.0 / 2.4)) - 0.055, c * 12.92, lessThanEqual(c, vec3(0.0031308)));
}

vec3 lit(vec3 albedo, vec3 n, float roughness, float occlusion, vec3 place) {
  vec3 v = normalize(eye - place);
  float nv = max(dot(n, v), 1e-4);
  float a = max(roughness * roughness, 0.002);
  vec3 h = normalize(light + v);
  float nl = max(dot(n, light), 0.0), nh = max(dot(n, h), 0.0), vh = max(dot(v, h), 0.0);
  float a2 = a * a;
  float base = nh * nh * (a2 - 1.0) + 1.0;
  float d = a2 / (PI * base * base);
  float visible = 0.5 / (nl * sqrt(nv * nv * (1.0 - a2) + a2) + nv * sqrt(nl * nl * (1.0 - a2) + a2));
  float f = 0.04 + 0.96 * pow(1.0 - vh, 5.0);
  vec3 direct = (albedo * (1.0 - f) / PI + f * d * visible) * nl * KEY * PI * 0.5;
  vec4 fit = roughness * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
  float a004 = min(fit.x * fit.x, exp2(-9.28 * nv)) * fit.x + fit.y;
  vec2 ab = vec2(-1.04, 1.04) * a004 + fit.zw;
  vec3 around = albedo * skyTowards(n, 1.0) + (0.04 * ab.x + ab.y) * skyTowards(reflect(-v, n), roughness);
  return direct * mix(1.0, occlusion, 0.35) + around * occlusion;
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
export const CIVIDIS_CSS = `linear-gradient(to right, ${CIVIDIS.map((c) => `rgb(${c.join(" ")})`).join(", ")})`;
