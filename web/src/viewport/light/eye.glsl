// The key light at a place, and from what is lit to what is shown. Goes behind tone.glsl.

uniform vec3 eye;
// Toward the key light. lamp: where it stands if it is near, and how far away it gives what `key` says; else 0.
uniform vec3 light;
uniform vec4 lamp;
uniform vec3 key;
// What every colour is multiplied with: exposure and white balance. plain: shown as it is, and cut off where it is too bright.
uniform vec3 exposed;
uniform float plain;

vec3 toward_light(vec3 place) {
  return lamp.w > 0.0 ? normalize(lamp.xyz - place) : light;
}

// Of a lamp: by the square of the distance, and at most four times as much as where it is meant for.
vec3 key_at(vec3 place) {
  if (lamp.w <= 0.0) return key;
  vec3 by = lamp.xyz - place;
  return key * min(lamp.w * lamp.w / max(dot(by, by), 1e-12), 4.0);
}

vec3 shown(vec3 c) {
  c *= exposed;
  return encoded(plain > 0.5 ? c : tone_mapped(c));
}
