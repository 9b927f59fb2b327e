// From light to the screen: tone map, Khronos PBR Neutral (2024); the screen's curve, IEC 61966-2-1.

const float PI = 3.14159265;

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

// Light that bounces about in what is hidden takes on its colour: Jimenez et al. (2016), "Practical Real-Time Strategies for
// Accurate Indirect Occlusion", section 5.
vec3 left_open(float open, vec3 albedo) {
  vec3 a = 2.0404 * albedo - 0.3324, b = -4.7951 * albedo + 0.6417, c = 2.7552 * albedo + 0.6903;
  return max(vec3(open), ((open * a + b) * open + c) * open);
}
