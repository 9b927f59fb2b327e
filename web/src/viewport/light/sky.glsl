// What comes from a sky. The sky is a map of its own, smoothed for even steps of roughness (core/light/sky_map.py,
// smoothing.py); what is scattered of it are nine harmonics a colour (harmonics.py).

uniform highp sampler3D sky;
uniform vec3 harmonics[9];
// From axes of the place's own metres to the sky's, in which the key light stands in the north.
uniform mat3 to_sky;

vec3 sky_place(vec3 d, float rough) {
  float levels = float(textureSize(sky, 0).z);
  float u = sqrt(clamp(0.5 + 0.5 * d.z / max(length(d.xz), 1e-6), 0.0, 1.0));
  float v = 0.5 + 0.5 * sign(d.y) * sqrt(abs(d.y));
  return vec3(u, v, (clamp(rough, 0.0, 1.0) * (levels - 1.0) + 0.5) / levels);
}

// What is mirrored from a direction by a place so rough.
vec3 seen_towards(vec3 d, float rough) {
  return texture(sky, sky_place(to_sky * d, rough)).rgb;
}

// What falls on a place that is turned along n, over π.
vec3 fallen(vec3 n) {
  vec3 d = to_sky * n;
  vec3 even = harmonics[0] * 0.282095 + 0.488603 * (harmonics[1] * d.y + harmonics[2] * d.z + harmonics[3] * d.x);
  vec3 uneven = 1.092548 * (harmonics[4] * (d.x * d.y) + harmonics[5] * (d.y * d.z) + harmonics[7] * (d.x * d.z)) +
    harmonics[6] * (0.315392 * (3.0 * d.z * d.z - 1.0)) + harmonics[8] * (0.546274 * (d.x * d.x - d.y * d.y));
  return max(even + uneven, vec3(0.0));
}
