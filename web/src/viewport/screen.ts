/** What pictures are drawn on, how they come to the screen, and small ones aside. */

import {
  LinearFilter,
  Mesh,
  NoBlending,
  PlaneGeometry,
  RawShaderMaterial,
  Scene,
  GLSL3,
  OrthographicCamera,
  Vector2,
  WebGLRenderTarget,
  type WebGLRenderer,
} from "three";

/** A part of a picture, in pixels from its lower left corner. */
export interface Part {
  x: number;
  y: number;
  width: number;
  height: number;
}

/**
 * One of the views that a picture is made of. viewport: the whole of it; scissor: the part that it may touch.
 * draw: what lies between two heights of it, −1 its foot and 1 its top.
 */
export interface Pass {
  viewport: Part;
  scissor: Part;
  draw: (low: number, high: number) => void;
}

const target = (samples: number) =>
  new WebGLRenderTarget(1, 1, { samples, minFilter: LinearFilter, magFilter: LinearFilter });

const cut = (a: Part, b: Part): Part => {
  const [x, y] = [Math.max(a.x, b.x), Math.max(a.y, b.y)];
  return {
    x,
    y,
    width: Math.min(a.x + a.width, b.x + b.width) - x,
    height: Math.min(a.y + a.height, b.y + b.height) - y,
  };
};

export class Screen {
  #target = target(0);
  #fine = false;
  /** Pixels of the screen, and of the picture that lies in the corner of the target. */
  readonly #size = new Vector2(1, 1);
  readonly #drawn = new Vector2(1, 1);
  readonly #copy: RawShaderMaterial;
  readonly #sheet = new Scene();
  readonly #straight = new OrthographicCamera(-1, 1, 1, -1, 0, 1);

  constructor(private readonly renderer: WebGLRenderer) {
    this.#copy = new RawShaderMaterial({
      glslVersion: GLSL3,
      vertexShader: `in vec3 position; out vec2 at;
void main() { at = 0.5 * position.xy + 0.5; gl_Position = vec4(position.xy, 0.0, 1.0); }`,
      fragmentShader: `precision highp float;
uniform sampler2D picture;
uniform vec2 share, texel;
in vec2 at;
out vec4 colour;
void main() { colour = texture(picture, clamp(at * share, 0.5 * texel, share - 0.5 * texel)); }`,
      uniforms: {
        picture: { value: null },
        share: { value: new Vector2(1, 1) },
        texel: { value: new Vector2(1, 1) },
      },
      blending: NoBlending,
      depthTest: false,
      depthWrite: false,
    });
    const sheet = new Mesh(new PlaneGeometry(2, 2), this.#copy);
    sheet.frustumCulled = false;
    this.#sheet.add(sheet);
  }

  /** width, height: of the page's. scale: pixels of the picture to one of the page. */
  resize(width: number, height: number, scale: number): void {
    this.renderer.setPixelRatio(scale);
    this.renderer.setSize(width, height, false);
    const { canvas } = this.renderer.getContext();
    const before = this.#size.clone();
    this.#size.set(canvas.width, canvas.height);
    // What was shown is shown stretched until there is another; the canvas itself forgets.
    if (!before.equals(this.#size)) this.show();
  }

  /** Begin a picture at a share of the full size; how many rows it has. */
  begin(scale: number, fine: boolean): number {
    const { width, height } = this.#target;
    if (fine !== this.#fine || width !== this.#size.x || height !== this.#size.y) {
      this.#fine = fine;
      this.#target.dispose();
      this.#target = target(fine ? 4 : 0);
      this.#target.setSize(this.#size.x, this.#size.y);
    }
    this.#drawn.copy(this.#size).multiplyScalar(scale).ceil();
    return this.#drawn.y;
  }

  /** Draw one pixel that nobody sees, so that whatever draws is ready. */
  tried(draw: () => void): void {
    const { width, height } = this.#target;
    this.#target.scissorTest = true;
    this.#target.viewport.set(0, 0, width, height);
    this.#target.scissor.set(0, 0, 1, 1);
    this.renderer.setRenderTarget(this.#target);
    draw();
    this.renderer.setRenderTarget(null);
  }

  /** Draw some rows of the picture. passes: where each draws, for the size of a picture. */
  band(from: number, to: number, passes: (size: Vector2) => Pass[]): void {
    this.#rows(this.#target, this.#drawn, from, to, passes);
  }

  #rows(
    on: WebGLRenderTarget,
    size: Vector2,
    from: number,
    to: number,
    passes: (size: Vector2) => Pass[],
  ): void {
    const { renderer } = this;
    const rows = { x: 0, y: from, width: size.x, height: to - from };
    on.scissorTest = true;
    for (const { viewport, scissor, draw } of passes(size)) {
      const part = cut(scissor, rows);
      if (part.width <= 0 || part.height <= 0) continue;
      on.viewport.set(viewport.x, viewport.y, viewport.width, viewport.height);
      on.scissor.set(part.x, part.y, part.width, part.height);
      renderer.setRenderTarget(on);
      renderer.clear();
      const height = (row: number) => (2 * (row - viewport.y)) / viewport.height - 1;
      draw(height(part.y), height(part.y + part.height));
    }
    renderer.setRenderTarget(null);
  }

  /** Bring what was drawn to the screen. */
  show(): void {
    if (this.#target.width === 1) return;
    const { share, texel, picture } = this.#copy.uniforms;
    picture!.value = this.#target.texture;
    (texel!.value as Vector2).set(1 / this.#target.width, 1 / this.#target.height);
    (share!.value as Vector2).copy(this.#drawn).multiply(texel!.value as Vector2);
    this.renderer.setRenderTarget(null);
    this.renderer.render(this.#sheet, this.#straight);
  }

  /**
   * A small picture aside: nothing of it is ever on the screen. Drawn twice as wide and high, and evened out.
   * passes: of a picture of that shape. between: awaited between its bands.
   */
  async small(
    width: number,
    height: number,
    bands: number,
    passes: (size: Vector2) => Pass[],
    between: () => Promise<boolean>,
  ): Promise<Blob | null> {
    const size = new Vector2(2 * width, 2 * height);
    const on = target(0);
    on.setSize(size.x, size.y);
    try {
      for (let i = 0; i < bands; i++) {
        const [from, to] = [i, i + 1].map((k) => Math.round((k * size.y) / bands));
        this.#rows(on, size, from!, to!, passes);
        if (!(await between())) return null;
      }
      const data = new Uint8ClampedArray(4 * size.x * size.y);
      await this.renderer.readRenderTargetPixelsAsync(on, 0, 0, size.x, size.y, data);
      return await this.#cropped(data, size, width, height);
    } finally {
      on.dispose();
    }
  }

  /**
   * A picture as wide as it is wanted, aside; where nothing is, it is clear. between: awaited twice a band, with the share
   * that is done; the picture is given up where it says so.
   */
  async large(
    width: number,
    height: number,
    bands: number,
    passes: (size: Vector2) => Pass[],
    between: (done: number) => Promise<boolean>,
  ): Promise<HTMLCanvasElement | null> {
    const on = target(4);
    on.setSize(width, height);
    const canvas = document.createElement("canvas");
    [canvas.width, canvas.height] = [width, height];
    const context = canvas.getContext("2d")!;
    try {
      for (let i = 0; i < bands; i++) {
        const [from, to] = [i, i + 1].map((k) => Math.round((k * height) / bands)) as [number, number];
        this.#rows(on, new Vector2(width, height), from, to, passes);
        if (!(await between((i + 0.5) / bands))) return null;
        const data = new Uint8ClampedArray(4 * width * (to - from));
        await this.renderer.readRenderTargetPixelsAsync(on, 0, from, width, to - from, data);
        // Rows come from the bottom.
        for (let row = 0; row < to - from; row++) {
          const line = data.subarray(4 * width * row, 4 * width * (row + 1));
          context.putImageData(new ImageData(line, width, 1), 0, height - 1 - from - row);
        }
        if (!(await between((i + 1) / bands))) return null;
      }
      return canvas;
    } finally {
      on.dispose();
    }
  }

  #cropped(
    data: Uint8ClampedArray<ArrayBuffer>,
    size: Vector2,
    width: number,
    height: number,
  ): Promise<Blob | null> {
    const [whole, small] = [document.createElement("canvas"), document.createElement("canvas")];
    [whole.width, whole.height] = [size.x, size.y];
    whole.getContext("2d")!.putImageData(new ImageData(data, size.x, size.y), 0, 0);
    [small.width, small.height] = [width, height];
    const c = small.getContext("2d", { willReadFrequently: true })!;
    c.fillStyle = "#3a3a3a";
    c.fillRect(0, 0, width, height);
    // Rows come from the bottom.
    c.setTransform(1, 0, 0, -1, 0, height);
    c.drawImage(whole, 0, 0, width, height);
    return new Promise((resolve) => small.toBlob(resolve, "image/webp", 0.7));
  }

  dispose(): void {
    this.#target.dispose();
    this.#copy.dispose();
  }
}
