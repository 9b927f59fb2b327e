/** Building programs beside what is drawn, so that nothing waits for them. */

import { Mesh, Scene, type Camera, type RawShaderMaterial, type WebGLRenderer } from "three";

import type { Scenery } from "./scenery";
import type { Screen } from "./screen";

export class Linker {
  #gone = false;

  /** ready: whether there has been a first picture; whatever is built for long comes after it. */
  constructor(
    private readonly renderer: WebGLRenderer,
    private readonly screen: Screen,
    private readonly camera: () => Camera,
    private readonly ready: () => boolean,
  ) {}

  /** Have a material compiled; whether the graphics card takes it. */
  async link(material: RawShaderMaterial, of: Scenery): Promise<boolean> {
    while (!this.ready() && !this.#gone) await new Promise((resolve) => setTimeout(resolve, 10));
    const known = new Set(this.renderer.info.programs);
    const trial = new Scene();
    const mesh = new Mesh(of.mesh.geometry, material);
    mesh.frustumCulled = false;
    trial.add(mesh);
    await this.renderer.compileAsync(trial, this.camera());
    if (this.#gone) return false;
    const gl = this.renderer.getContext();
    const made = (this.renderer.info.programs ?? [])
      .filter((program) => !known.has(program))
      .map((program) => (program as unknown as { program: WebGLProgram }).program);
    // Without a graphics card a program is linked when it is asked about first, and whoever asks waits for as
    // long. Validating is the one question that wants no answer, so the page goes on meanwhile.
    for (const program of made) gl.validateProgram(program);
    await this.done();
    if (this.#gone) return false;
    const taken = made.every((program) => gl.getProgramParameter(program, gl.LINK_STATUS));
    if (!taken) return false;
    // Without a graphics card a program is built when it draws first: one pixel of it, beside what is shown.
    this.screen.tried(() => this.renderer.render(trial, this.camera()));
    await this.done();
    return !this.#gone;
  }

  /** Wait until the graphics card has done what it was told. */
  async done(): Promise<void> {
    const gl = this.renderer.getContext() as WebGL2RenderingContext;
    const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0)!;
    gl.flush();
    do await new Promise((resolve) => setTimeout(resolve, 4));
    while (!this.#gone && gl.getSyncParameter(fence, gl.SYNC_STATUS) !== gl.SIGNALED);
    gl.deleteSync(fence);
  }

  /** Nobody waits for anything any more. */
  dispose(): void {
    this.#gone = true;
  }
}
