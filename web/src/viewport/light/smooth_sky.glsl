// The sky where it is seen and not mirrored. Its map has few texels where little changes; between them it is read by cubic
// splines, or their edges would show: Sigg and Hadwiger (2005), "Fast Third-Order Texture Filtering".

vec3 smooth_sky(vec3 d) {
  // Below the horizon nothing changes so quickly.
  if (d.y < 0.0) return texture(sky, sky_place(d, 0.0)).rgb;
  vec2 size = vec2(textureSize(sky, 0).xy);
  vec3 place = sky_place(d, 0.0);
  vec2 texel = place.xy * size - 0.5, low = floor(texel), f = texel - low, g = 1.0 - f;
  vec2 w0 = g * g * g / 6.0, w1 = (4.0 - 6.0 * f * f + 3.0 * f * f * f) / 6.0;
  vec2 w3 = f * f * f / 6.0, w2 = 1.0 - w0 - w1 - w3;
  vec2 first = w0 + w1, second = w2 + w3;
  vec2 a = (low - 0.5 + w1 / first) / size, b = (low + 1.5 + w3 / second) / size;
  return first.y * (first.x * texture(sky, vec3(a, place.z)).rgb + second.x * texture(sky, vec3(b.x, a.y, place.z)).rgb) +
    second.y * (first.x * texture(sky, vec3(a.x, b.y, place.z)).rgb + second.x * texture(sky, vec3(b, place.z)).rgb);
}
