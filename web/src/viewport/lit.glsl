// Light on one place, and the way from light to the screen.
//
// GGX (Walter et al. 2007) with height-correlated Smith visibility (Heitz 2014), Schlick Fresnel,
// Lambert; one key light and a two-colour sky, whose mirror part uses the split-sum fit of
// Karis (2014), "Physically Based Shading on Mobile". Tone map: Khronos PBR Neutral (2024).
//
// A test lights a place from all sides alike (a white furnace): nothing may come back brighter than it
// went in, so what is mirrored is taken from what is scattered.

const float PI = 3.14159265;

struct Surroundings {
  vec3 key;
  vec3 sky;
  vec3 below;
};

const Surroundings OUTDOORS =
  Surroundings(vec3(1.0, 0.975, 0.94) * 2.7, vec3(0.62, 0.66, 0.70), vec3(0.24, 0.23, 0.21));

struct Matter {
  vec3 albedo;
  vec3 normal;
  float roughness;
  float occlusion;
  float metallic;
  vec3 emission;
};

vec3 sky_towards(Surroundings around, vec3 d, float rough) {
  return mix(around.below, around.sky, smoothstep(-0.35 - rough, 0.35 + rough, d.y));
}

vec3 tone_mapped(vec3 c) {
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

// The share of even light from all sides that is mirrored toward the eye.
vec3 mirrored(vec3 facing, float roughness, float nv) {
  vec4 fit = roughness * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
  float a004 = min(fit.x * fit.x, exp2(-9.28 * nv)) * fit.x + fit.y;
  vec2 ab = vec2(-1.04, 1.04) * a004 + fit.zw;
  return facing * ab.x + ab.y;
}

// v: toward the eye. l: toward the key light. Both of length one.
vec3 lit(Matter m, Surroundings around, vec3 v, vec3 l) {
  vec3 n = m.normal;
  float nv = max(dot(n, v), 1e-4);
  float a = max(m.roughness * m.roughness, 0.002);
  vec3 h = normalize(l + v);
  float nl = max(dot(n, l), 0.0), nh = max(dot(n, h), 0.0), vh = max(dot(v, h), 0.0);
  float a2 = a * a;
  float base = nh * nh * (a2 - 1.0) + 1.0;
  float d = a2 / (PI * base * base);
  float visible = 0.5 / (nl * sqrt(nv * nv * (1.0 - a2) + a2) + nv * sqrt(nl * nl * (1.0 - a2) + a2));
  vec3 facing = mix(vec3(0.04), m.albedo, m.metallic);
  vec3 scattered = m.albedo * (1.0 - m.metallic);
  vec3 f = facing + (1.0 - facing) * pow(1.0 - vh, 5.0);
  vec3 direct = (scattered * (1.0 - f) / PI + f * d * visible) * nl * around.key * PI * 0.5;
  vec3 mirror = mirrored(facing, m.roughness, nv);
  vec3 ambient = scattered * (1.0 - mirror) * sky_towards(around, n, 1.0) +
    mirror * sky_towards(around, reflect(-v, n), m.roughness);
  return direct * mix(1.0, m.occlusion, 0.35) + ambient * m.occlusion + m.emission;
}
