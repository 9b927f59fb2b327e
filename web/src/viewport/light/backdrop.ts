/** The sky behind the surface. */

import {
  BufferAttribute,
  BufferGeometry,
  GLSL3,
  Matrix4,
  Mesh,
  RawShaderMaterial,
  type PerspectiveCamera,
} from "three";

import { HEAD } from "../shading";
import eye from "./eye.glsl?raw";
import type { Illumination } from "./illumination";
import sky from "./sky.glsl?raw";
import smooth from "./smooth_sky.glsl?raw";
import tone from "./tone.glsl?raw";

const FRAGMENT = `
in vec2 at;
uniform mat4 from_clip;
uniform vec4 disc;
out vec4 colour;
void main() {
  vec4 there = from_clip * vec4(at, 1.0, 1.0);
  vec3 d = normalize(there.xyz / there.w - eye);
  vec3 seen = smooth_sky(to_sky * d);
  float apart = dot(d, light), edge = 1.0 - disc.w;
  if (disc.w < 1.5 && d.y > -0.002) seen += disc.rgb * smoothstep(disc.w - 0.25 * edge, disc.w + 0.25 * edge, apart);
  colour = vec4(shown(seen), 1.0);
}
`;

export class Backdrop {
  readonly mesh: Mesh;
  readonly #material: RawShaderMaterial;

  constructor(light: Illumination, own: RawShaderMaterial["uniforms"]) {
    this.#material = new RawShaderMaterial({
      glslVersion: GLSL3,
      vertexShader: `in vec3 position;
out vec2 at;
void main() { at = position.xy; gl_Position = vec4(position.xy, 1.0, 1.0); }`,
      fragmentShader: `${HEAD}${tone}${sky}${smooth}${eye}${FRAGMENT}`,
      uniforms: { ...light.all, ...own, disc: light.disc, from_clip: { value: new Matrix4() } },
      // Only where nothing stands: it is drawn last, as far away as can be.
      depthWrite: false,
    });
    const geometry = new BufferGeometry();
    geometry.setAttribute(
      "position",
      new BufferAttribute(new Float32Array([-1, -1, 0, 3, -1, 0, -1, 3, 0]), 3),
    );
    this.mesh = new Mesh(geometry, this.#material);
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = 2;
  }

  /** Seen by a camera. */
  follow(camera: PerspectiveCamera): void {
    (this.#material.uniforms["from_clip"]!.value as Matrix4)
      .copy(camera.matrixWorld)
      .multiply(camera.projectionMatrixInverse);
  }

  dispose(): void {
    this.mesh.geometry.dispose();
    this.#material.dispose();
  }
}
