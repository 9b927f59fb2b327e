/** The ground that a mesh stands on: as the sky's map has it, with the shadows that fall there, and lines of a fitting length. */

import { DoubleSide, GLSL3, Mesh, PlaneGeometry, RawShaderMaterial, Sphere, Vector3 } from "three";

import { HEAD } from "../shading";
import eye from "./eye.glsl?raw";
import type { Illumination } from "./illumination";
import shadow from "./shadow.glsl?raw";
import sky from "./sky.glsl?raw";
import tone from "./tone.glsl?raw";

/** How far it goes, in radii of what stands on it. */
const FAR = 14;

const VERTEX = `precision highp float;
uniform mat4 viewMatrix, projectionMatrix;
uniform vec4 stands;
in vec3 position;
out vec3 v_position;
void main() {
  v_position = stands.xyz + vec3(position.x, 0.0, position.y) * (stands.w * ${FAR.toFixed(1)});
  gl_Position = projectionMatrix * viewMatrix * vec4(v_position, 1.0);
}
`;

/** What comes from below the horizon already has the ground in it, in the full light of a sun and in none of a lamp's. */
const FRAGMENT = `
in vec3 v_position;
uniform vec4 stands;
uniform vec3 bounce;
uniform float spaced;
out vec4 colour;
float line(vec2 at, float apart, float width) {
  vec2 grid = abs(fract(at / apart - 0.5) - 0.5) * apart, wide = fwidth(at) * width;
  vec2 on = 1.0 - smoothstep(vec2(0.0), wide, grid);
  return max(on.x, on.y) * (1.0 - smoothstep(0.1, 0.4, max(wide.x, wide.y) / apart));
}
void main() {
  vec3 d = normalize(v_position - eye), up = vec3(0.0, 1.0, 0.0);
  vec3 seen = seen_towards(d, 0.0);
  float fade = 1.0 - smoothstep(0.4, 1.0, distance(v_position.xz, stands.xz) / (stands.w * ${FAR.toFixed(1)}));
  vec3 l = toward_light(v_position);
  float falls = max(l.y, 0.0), reached = falls > 0.0 ? arrived(v_position, up) : 0.0;
  vec3 given = bounce * key_at(v_position) * (falls / PI);
  seen += given * fade * (lamp.w > 0.0 ? reached : reached - 1.0);
  seen = max(seen, vec3(0.0));
  if (spaced > 0.0) {
    vec2 at = v_position.xz - stands.xz;
    float on = max(0.5 * line(at, spaced, 1.2), line(at, 10.0 * spaced, 1.8));
    seen *= 1.0 - 0.35 * on * fade;
  }
  colour = vec4(shown(seen), 1.0);
}
`;

export class Floor {
  readonly mesh: Mesh;
  readonly #material: RawShaderMaterial;

  constructor(light: Illumination, own: RawShaderMaterial["uniforms"]) {
    this.#material = new RawShaderMaterial({
      glslVersion: GLSL3,
      vertexShader: VERTEX,
      fragmentShader: `${HEAD}${tone}${sky}${shadow}${eye}${FRAGMENT}`,
      uniforms: {
        ...light.all,
        ...own,
        bounce: light.bounce,
        stands: { value: [0, 0, 0, 1] },
        spaced: { value: 0 },
      },
      side: DoubleSide,
    });
    this.mesh = new Mesh(new PlaneGeometry(2, 2), this.#material);
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = 1;
  }

  /** Lie under what is in a sphere and reaches down to a height. spaced: metres between lines; 0: none. */
  lie({ center, radius }: Sphere, lowest: number, spaced: number): void {
    const { x, z } = center;
    this.#material.uniforms["stands"]!.value = [x, lowest - 1e-4 * radius, z, radius];
    this.#material.uniforms["spaced"]!.value = spaced;
  }

  /** Whether it is seen from a place: from below it is not there. */
  seenFrom(eye: Vector3): boolean {
    return eye.y > (this.#material.uniforms["stands"]!.value as number[])[1]!;
  }

  dispose(): void {
    this.mesh.geometry.dispose();
    this.#material.dispose();
  }
}
