// Light on one place.
//
// GGX (Walter et al. 2007) with height-correlated Smith visibility (Heitz 2014) and Schlick's Fresnel term (1994). What one
// bounce between facets loses comes back: Turquin (2019), "Practical multiple scattering compensation for
// microfacet models". What is scattered is what is not mirrored, on the way in and on the way out: Kelemen and
// Szirmay-Kalos (2001), "A Microfacet Based Coupled Specular-Matte BRDF Model".
//
// A test lights a place from all sides alike (a white furnace), by the sky, by the key light and by both: nothing comes
// back brighter than it went in.

// What comes to one place. key: on a plane turned to the key light, as far as nothing hides it. scattered: from
// all over onto the place, over π. mirrored: from where its mirror looks, as smooth as it is. open: how much of the sky the shape
// around leaves to see.
struct Falling {
  vec3 key;
  vec3 scattered;
  vec3 mirrored;
  float open;
  // On the back, over π; the key light on it comes through as it does on the front.
  vec3 behind;
};

struct Matter {
  vec3 albedo;
  vec3 normal;
  float roughness;
  float occlusion;
  float metallic;
  vec3 emission;
  // How much of the light on its back comes through.
  float thin;
};

// The share of even light that a place mirrors toward the eye by one bounce is facing · x + y; of one that mirrors
// everything it is x + y, and what is missing to one goes astray between facets. x and y are polynomials of ours in
// the roughness and in k, one minus the cosine to the eye, by least squares over the integral: at most 0.04 off, 0.006
// as a root mean square. Tried: the polynomial of Karis (2014), "Physically Based Shading on Mobile", which gave 0.89
// for smooth metal where the integral is 0.998; a table of 7 × 7, 0.009 off, which cost a software renderer many times the
// rest of the light, since it copied the table for every pixel.
vec2 bounced(float roughness, float nv) {
  float k = 1.0 - clamp(nv, 0.0, 1.0), k2 = k * k, k4 = k2 * k2, k6 = k4 * k2;
  vec2 by0 = vec2(1.0100, 0.0011) + vec2(0.0805, -0.0271) * k + vec2(-0.5246, 0.1070) * k2 + vec2(0.8989, -0.0515) * k4 + vec2(-1.5570, 1.1121) * k6;
  vec2 by1 = vec2(-0.2584, -0.1024) + vec2(-2.4424, 2.4282) * k + vec2(14.2205, -9.1373) * k2 + vec2(-32.1778, 23.7414) * k4 + vec2(21.7530, -19.9303) * k6;
  vec2 by2 = vec2(2.1339, 0.4514) + vec2(7.5465, -10.6170) * k + vec2(-54.4711, 39.8627) * k2 + vec2(110.4236, -97.7211) * k4 + vec2(-59.6047, 69.7830) * k6;
  vec2 by3 = vec2(-5.4188, -0.6418) + vec2(-8.7882, 15.0302) * k + vec2(72.3628, -56.1435) * k2 + vec2(-129.9532, 131.3085) * k4 + vec2(59.4671, -88.0415) * k6;
  vec2 by4 = vec2(2.8429, 0.2935) + vec2(3.7886, -6.8528) * k + vec2(-31.3654, 25.4549) * k2 + vec2(50.5579, -57.5289) * k4 + vec2(-19.5764, 37.2515) * k6;
  float r = clamp(roughness, 0.0, 1.0);
  vec2 xy = by0 + r * (by1 + r * (by2 + r * (by3 + r * by4)));
  float x = clamp(xy.x, 0.0, 1.0);
  return vec2(x, clamp(xy.y, 0.0, 1.0 - x));
}

// The same on average over all directions, weighed by their cosines: 0.002 off.
vec2 bounced_on_average(float roughness) {
  float r = clamp(roughness, 0.0, 1.0);
  return vec2(0.9532, 0.0459) + r * (vec2(-0.0612, 0.0539) + r * (vec2(0.7729, -0.4573) + r * (vec2(-2.7885, 0.6055) + r * vec2(1.5320, -0.2456))));
}

// What further bounces between facets add to the first.
vec3 further(vec3 facing, vec2 xy) {
  return 1.0 + facing * (1.0 / max(xy.x + xy.y, 0.05) - 1.0);
}

vec3 mirrored(vec3 facing, vec2 xy) {
  return (facing * xy.x + xy.y) * further(facing, xy);
}

// How much of what is mirrored is not hidden: Lagarde and de Rousiers (2014), "Moving Frostbite to Physically Based
// Rendering", listing 26.
float mirror_open(float nv, float open, float rough) {
  return clamp(pow(nv + open, exp2(-16.0 * rough - 1.0)) - 1.0 + open, 0.0, 1.0);
}

// v: toward the eye. l: toward the key light. Both of length one.
vec3 lit(Matter m, Falling falls, vec3 v, vec3 l) {
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
  vec2 out_of = bounced(m.roughness, nv);
  vec3 mirror = mirrored(facing, out_of);
  vec3 kept = 1.0 - mirrored(facing, bounced(m.roughness, nl));
  vec3 kept_on_average = max(1.0 - mirrored(facing, bounced_on_average(m.roughness)), 1e-3);
  vec3 matte = scattered * (1.0 - mirror) * kept / (PI * kept_on_average);
  // Leaves and petals: half of what is scattered at all leaves on the other side, as far as they are thin. Common practice.
  float through = 0.5 * m.thin;
  vec3 direct = (matte * (1.0 - through) + f * d * visible * further(facing, out_of)) * nl * falls.key;
  direct += scattered * (1.0 - mirror) * (through / PI * max(-dot(n, l), 0.0)) * falls.key;
  float open = m.occlusion * falls.open;
  vec3 ambient = scattered * (1.0 - mirror) * mix(falls.scattered, falls.behind, through) * left_open(open, m.albedo) +
    mirror * falls.mirrored * mirror_open(nv, open, m.roughness);
  return direct + ambient + m.emission;
}
