// Light on one place, and the way from light to the screen.
//
// GGX (Walter et al. 2007) with height-correlated Smith visibility (Heitz 2014), Schlick Fresnel,
// Lambert; one key light and a two-colour sky, mirrored by the split of light from matter that is common
// practice. Tone map: Khronos PBR Neutral (2024).
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

// The share of even light that a place mirrors toward the eye is facing · x + y: x and y by roughness (rows, 0 to 1)
// and the square root of the cosine to the eye (columns, 0 to 1), each cell the integral itself.
// Tried: the polynomial of Karis (2014), "Physically Based Shading on Mobile", which gave 0.89 for smooth metal where the integral is 0.998, and was 0.18
// off at its worst; polynomials of our own, 0.04 off with 25 terms. This is 0.009 off (root mean square).
const int STEPS = 7;
const vec2 MIRROR[STEPS * STEPS] = vec2[](
  vec2(0.0995, 0.8951), vec2(0.1338, 0.8635), vec2(0.4455, 0.5544), vec2(0.7628, 0.2372), vec2(0.9471, 0.0529), vec2(0.9973, 0.0027), vec2(1.0000, 0.0000),
  vec2(0.2733, 0.6312), vec2(0.2735, 0.6210), vec2(0.4701, 0.4951), vec2(0.7635, 0.2295), vec2(0.9437, 0.0534), vec2(0.9958, 0.0029), vec2(0.9992, 0.0000),
  vec2(0.6149, 0.3511), vec2(0.6085, 0.3437), vec2(0.6087, 0.2714), vec2(0.7518, 0.1597), vec2(0.9060, 0.0491), vec2(0.9722, 0.0043), vec2(0.9853, 0.0000),
  vec2(0.7909, 0.1808), vec2(0.7824, 0.1763), vec2(0.7499, 0.1346), vec2(0.7593, 0.0808), vec2(0.8182, 0.0314), vec2(0.8798, 0.0048), vec2(0.9158, 0.0000),
  vec2(0.8593, 0.0978), vec2(0.8513, 0.0947), vec2(0.7924, 0.0685), vec2(0.7435, 0.0394), vec2(0.7200, 0.0161), vec2(0.7227, 0.0034), vec2(0.7429, 0.0000),
  vec2(0.8831, 0.0586), vec2(0.8708, 0.0562), vec2(0.7723, 0.0376), vec2(0.6792, 0.0201), vec2(0.6025, 0.0080), vec2(0.5454, 0.0018), vec2(0.5083, 0.0000),
  vec2(0.8824, 0.0394), vec2(0.8625, 0.0372), vec2(0.7217, 0.0224), vec2(0.5868, 0.0109), vec2(0.4721, 0.0040), vec2(0.3796, 0.0009), vec2(0.3068, 0.0000)
);

vec2 mirror_row(int row, int column, float f) {
  return mix(MIRROR[row * STEPS + column], MIRROR[row * STEPS + column + 1], f);
}

vec3 mirrored(vec3 facing, float roughness, float nv) {
  vec2 at = clamp(vec2(roughness, sqrt(nv)), 0.0, 1.0) * float(STEPS - 1);
  ivec2 low = min(ivec2(at), STEPS - 2);
  vec2 f = at - vec2(low);
  vec2 xy = mix(mirror_row(low.x, low.y, f.y), mirror_row(low.x + 1, low.y, f.y), f.x);
  return facing * xy.x + xy.y;
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
