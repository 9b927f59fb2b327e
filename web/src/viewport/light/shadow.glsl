// How much of the key light arrives at a place.
//
// Shadow map: Williams (1978). Soft by the angle of the light and by the distance to what hides it: Fernando (2005),
// "Percentage-closer soft shadows". A place is held against the map along its own plane, which stays a plane in the map, so
// that nothing hides itself however wide one looks: Isidoro (2006), "Shadow Mapping: GPU-based Tips and Techniques".
// Samples lie on a spiral (Vogel 1979), turned by a number of the map's own texel: grain stays on the ground while the
// camera turns.

// Softer than a share of the map so wide is nothing: so few samples would show one by one.
const float WIDEST = 0.04;

uniform highp sampler2D shadow_depth;
// From the place's own metres to the map, −1..1, and what planes go there by: its inverse, transposed.
uniform mat4 to_shadow;
uniform mat4 plane_to_shadow;
// Of the sun: width of the map and its depth in metres, half the sun's angle as a tangent. Of a lamp: width of the map a
// metre away, nothing, half the lamp's size in metres. Then how many samples; 0: no shadow is thrown.
uniform vec4 shadow_reach;
// 1 / the map's texels across; nearest and farthest in metres of a lamp, else 0.
uniform vec3 shadow_grain;

// Metres from the light, of a depth 0..1.
float far_from_light(float depth) {
  vec2 ends = shadow_grain.yz;
  return ends.x > 0.0 ? ends.x * ends.y / (ends.y - depth * (ends.y - ends.x)) : depth * shadow_reach.y;
}

// Where nothing is hit the map says 1; what lies behind its end is not hidden by that.
const float NOTHING = 1e9;

float first_hit(vec2 at) {
  float depth = textureLod(shadow_depth, at, 0.0).r;
  return depth < 1.0 ? depth : NOTHING;
}

// Between four texels: the share of them that are not nearer than the place.
float passed(vec2 at, float depth) {
  float size = 1.0 / shadow_grain.x;
  vec2 texel = at * size - 0.5, low = floor(texel), f = texel - low;
  ivec2 a = ivec2(low), last = ivec2(size) - 1;
  ivec2 b = clamp(a + 1, ivec2(0), last);
  a = clamp(a, ivec2(0), last);
  vec4 depths = vec4(
    texelFetch(shadow_depth, a, 0).r, texelFetch(shadow_depth, ivec2(b.x, a.y), 0).r,
    texelFetch(shadow_depth, ivec2(a.x, b.y), 0).r, texelFetch(shadow_depth, b, 0).r);
  vec4 open = max(step(vec4(depth), depths), step(vec4(1.0), depths));
  return mix(mix(open.x, open.y, f.x), mix(open.z, open.w, f.x), f.y);
}

// place, plane: of the triangle, in the place's own metres. The plane's normal is turned to the light.
float arrived(vec3 place, vec3 plane) {
  float samples = shadow_reach.w;
  if (samples < 1.0) return 1.0;
  vec4 clip = to_shadow * vec4(place, 1.0);
  vec3 here = clip.xyz / clip.w * 0.5 + 0.5;
  if (any(lessThan(here, vec3(0.0))) || any(greaterThan(here.xy, vec2(1.0)))) return 1.0;
  vec4 lain = plane_to_shadow * vec4(plane, -dot(plane, place));
  // How depth goes on along the place's own plane.
  vec2 slope = clamp(-lain.xy / (abs(lain.z) > 1e-12 ? lain.z : 1e-12), -40.0, 40.0);
  float grain = shadow_grain.x;
  float turn = 6.2831853 * fract(52.9829189 * fract(dot(floor(here.xy / grain), vec2(0.06711056, 0.00583715))));
  float away = far_from_light(here.z);
  bool near = shadow_grain.y > 0.0;
  float wide = near ? shadow_reach.x * away : shadow_reach.x;
  // As soft as what hides it could make it at most.
  float search = near ? WIDEST : clamp(shadow_reach.z * away / wide, 1.5 * grain, WIDEST);
  // Each texel holds the depth of its middle.
  float least = grain * (abs(slope.x) + abs(slope.y)) * 0.75 + 2e-5;
  float hidden = 0.0, hiding = 0.0;
  for (float i = 0.0; i < samples; i++) {
    float r = sqrt((i + 0.5) / samples), t = turn + i * 2.3999632;
    vec2 by = search * r * vec2(cos(t), sin(t));
    float depth = first_hit(here.xy + by);
    if (depth < here.z + dot(slope, by) - least) {
      hidden += 1.0;
      hiding += far_from_light(depth);
    }
  }
  if (hidden == 0.0) return 1.0;
  hiding /= hidden;
  float spread = max(away - hiding, 0.0) * shadow_reach.z / (near ? max(hiding, 1e-3) : 1.0);
  float radius = clamp(spread / wide, grain, search);
  float open = 0.0;
  for (float i = 0.0; i < samples; i++) {
    float r = sqrt((i + 0.5) / samples), t = turn + i * 2.3999632;
    vec2 by = radius * r * vec2(cos(t), sin(t));
    open += passed(here.xy + by, here.z + dot(slope, by) - least);
  }
  return open / samples;
}
