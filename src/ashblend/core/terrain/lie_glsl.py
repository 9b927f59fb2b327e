"""`lie` spelled in GLSL ES 3.00, for pictures: the same numbers at every pixel, from a texture of the heights."""

LIE = """
uniform highp sampler2D heights;
uniform vec3 spread; // metres between heights, width and depth
uniform vec3 counted; // the surface's origin
float height_of(ivec2 at) { return texelFetch(heights, at, 0).x; }
void cell_of(float at, int count, out int low, out float f) {
  low = clamp(int(at), 0, count - 2);
  f = clamp(at - float(low), 0.0, 1.0);
}
// Height, and rise along columns and along rows a spacing, at a place over the whole terrain.
vec3 lie_over(vec2 over) {
  ivec2 count = textureSize(heights, 0);
  ivec2 low; vec2 f;
  vec2 at = over * vec2(count - 1);
  cell_of(at.x, count.x, low.x, f.x);
  cell_of(at.y, count.y, low.y, f.y);
  float h[16];
  for (int j = 0; j < 4; j++) for (int i = 0; i < 4; i++)
    h[4 * j + i] = height_of(clamp(low + ivec2(i - 1, j - 1), ivec2(0), count - 1));
  vec2 g[4];
  for (int k = 0; k < 4; k++) {
    int i = k & 1, j = k >> 1, n = 4 * j + i;
    ivec2 c = low + ivec2(i, j);
    vec2 apart = vec2(min(c + 1, count - 1) - max(c - 1, ivec2(0)));
    float along = h[n + 2] + 2.0 * h[n + 6] + h[n + 10] - h[n] - 2.0 * h[n + 4] - h[n + 8];
    float down = h[n + 8] + 2.0 * h[n + 9] + h[n + 10] - h[n] - 2.0 * h[n + 1] - h[n + 2];
    g[k] = vec2(along, down) / (4.0 * apart);
  }
  vec2 slope = mix(mix(g[0], g[1], f.x), mix(g[2], g[3], f.x), f.y);
  return vec3(mix(mix(h[5], h[6], f.x), mix(h[9], h[10], f.x), f.y), slope);
}
vec3 normal_of(vec3 lie) { return normalize(vec3(-lie.y / spread.x, 1.0, -lie.z / spread.x)); }
vec4 tangent_of(vec3 normal) { return vec4(normalize(vec3(normal.y, -normal.x, 0.0)), 1.0); }
vec3 place_of(vec2 over, float height) {
  return vec3((over.x - 0.5) * spread.y, height, (over.y - 0.5) * spread.z) - counted;
}
"""
