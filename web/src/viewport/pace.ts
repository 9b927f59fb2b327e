/**
 * When pictures are drawn, and how: on demand, coarse first, in bands that hold the page for no longer than a moment.
 *
 * Without a graphics card a full picture takes seconds, and the page waits for whatever is sent to the card before it
 * shows anything. So a picture is cut into bands of rows, each sent when the one before is done, and shown when it is whole.
 * What a pixel costs is measured for each program; where the whole costs little there is one band, smoothed edges
 * and sharp textures, and where it costs much they go.
 *
 * Tried: drawing bands onto the screen as they are done, which made the page copy the whole picture for each.
 */

/** Milliseconds that a band, a moving picture, and a coarse one before the full one may take. */
const BAND = 70;
const MOVING = 100;
/** The first band of a moving picture: the page copies the picture before it just then, and waits for both. */
const FIRST_BAND = 45;
const COARSE = 250;
/** So many at most, of a whole picture and of a coarse one: each has its own costs, whatever it draws. */
const MOST_BANDS = 40;
const MOST_COARSE = 5;
const COARSEST = 0.12;
const SETTLE = 220;
/** Milliseconds of a whole picture below which it is drawn fine, and above which it is not any more. */
const FINE = 14;
const TOO_FINE = 60;
/** Milliseconds a pixel of a program that was never drawn: as of a large blend in software. */
const UNKNOWN = 0.008;
const REMEMBERED = 8;

/** What pictures are drawn on. */
export interface Easel {
  /** The name of what is drawn now; null while there is nothing to draw with. */
  readonly program: string | null;
  /** Pixels of the whole picture. */
  readonly pixels: number;
  /** Whether edges may be smoothed and textures sharpened at all. */
  readonly mayBeFine: boolean;
  /** Draw what pictures are made with, if there is a need to; whether there was. */
  prepare(moving: boolean): boolean;
  /** Begin a picture at a share of the full size; how many rows it has. moving: another will follow. */
  begin(scale: number, fine: boolean, moving: boolean): number;
  band(from: number, to: number): void;
  /** Show what was drawn. */
  show(): void;
}

interface Picture {
  program: string;
  scale: number;
  moving: boolean;
  rows: number;
  done: number;
  took: number;
  /** The band that took most, in milliseconds a row. */
  worst: number;
}

export class Pace {
  #picture: Picture | null = null;
  /** Something changed since the picture under way was begun. */
  #stale = false;
  #moving = false;
  #asked = false;
  #drawing = false;
  #fine = false;
  /** The share of the full size that the screen shows of what there is now. */
  #shown = 0;
  #costs = new Map<string, number>();
  #settleTimer: ReturnType<typeof setTimeout> | undefined;
  #gone = false;

  constructor(
    private readonly gl: WebGL2RenderingContext,
    private readonly easel: Easel,
    /** A picture is on the screen. settled: at full size, and no other is asked for. */
    private readonly onDrawn: (settled: boolean) => void,
  ) {}

  /** Draw soon. moving: more will follow, so a coarser picture will do on a slow machine. */
  invalidate(moving = false): void {
    if (moving) this.#moving = true;
    this.#stale = true;
    this.#shown = 0;
    this.#ask();
  }

  #ask(): void {
    if (this.#asked || this.#drawing || this.#gone) return;
    this.#asked = true;
    requestAnimationFrame(() => {
      this.#asked = false;
      this.#go();
    });
  }

  /** Milliseconds of a whole picture. */
  #cost(program: string): number {
    return (this.#costs.get(program) ?? UNKNOWN) * this.easel.pixels;
  }

  #go(): void {
    if (this.#gone) return;
    const { program } = this.easel;
    if (program === null) {
      this.#picture = null;
      return;
    }
    const now = this.#picture;
    // A coarse or quick picture is ended, so that something is seen while much changes; a long one is begun anew.
    const quick = now !== null && (now.moving || now.scale < 1 || this.#cost(program) <= COARSE);
    const kept = now?.program === program && (!this.#stale || quick);
    if (!kept) {
      if (this.easel.prepare(this.#moving)) {
        this.#picture = null;
        this.#drawing = true;
        this.#whenDrawn(() => {
          this.#drawing = false;
          this.#go();
        });
        return;
      }
      this.#picture = this.#begun(program);
    }
    if (this.#picture) this.#band(this.#picture);
  }

  #begun(program: string): Picture {
    this.#stale = false;
    const cost = this.#cost(program);
    const within = (limit: number) =>
      Math.min(1, Math.max(COARSEST, Math.sqrt(limit / Math.max(cost, 1e-3))));
    let scale = 1;
    if (this.#moving) scale = within(MOVING);
    else if (this.#shown === 0 && (cost > COARSE || !this.#costs.has(program))) scale = within(COARSE);
    const rows = this.easel.begin(scale, this.#fine, this.#moving);
    return { program, scale, moving: this.#moving, rows, done: 0, took: 0, worst: 0 };
  }

  #band(picture: Picture): void {
    const { rows, done, scale } = picture;
    const even = (this.#cost(picture.program) * scale * scale) / rows;
    const limit = picture.moving && done === 0 ? FIRST_BAND : BAND;
    const wanted = Math.floor(limit / Math.max(even, picture.worst, 1e-6));
    const count = Math.max(wanted, Math.ceil(rows / (scale < 0.4 ? MOST_COARSE : MOST_BANDS)));
    const end = Math.min(rows, done + count);
    this.easel.band(done, end);
    this.#drawing = true;
    const began = performance.now();
    this.#whenDrawn(() => {
      this.#drawing = false;
      const took = performance.now() - began;
      picture.took += took;
      picture.worst = Math.max(picture.worst, took / (end - done));
      picture.done = end;
      if (end === rows) this.#whole(picture);
      else this.#go();
    });
  }

  #whenDrawn(then: () => void): void {
    const { gl } = this;
    const fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0)!;
    gl.flush();
    const look = () => {
      if (!this.#gone && gl.getSyncParameter(fence, gl.SYNC_STATUS) !== gl.SIGNALED) {
        setTimeout(look, 1);
        return;
      }
      gl.deleteSync(fence);
      if (!this.#gone) then();
    };
    setTimeout(look, 0);
  }

  #whole(picture: Picture): void {
    this.#picture = null;
    this.#learn(picture);
    this.easel.show();
    const still = !this.#stale;
    if (still) this.#shown = picture.scale;
    this.onDrawn(still && picture.scale === 1);
    clearTimeout(this.#settleTimer);
    if (this.#stale) this.#ask();
    else if (this.#moving) {
      this.#settleTimer = setTimeout(() => {
        this.#moving = false;
        if (picture.scale < 1) this.#ask();
      }, SETTLE);
    } else if (picture.scale < 1) this.#ask();
  }

  #learn({ program, scale, took }: Picture): void {
    const cost = took / (this.easel.pixels * scale * scale);
    this.#costs.delete(program);
    this.#costs.set(program, cost);
    if (this.#costs.size > REMEMBERED) this.#costs.delete(this.#costs.keys().next().value!);
    const most = Math.max(...this.#costs.values()) * this.easel.pixels;
    const fine = this.easel.mayBeFine && scale === 1 && most < (this.#fine ? TOO_FINE : FINE);
    if (fine !== this.#fine && (scale === 1 || this.#fine)) {
      this.#fine = fine;
      this.#stale = true;
      this.#shown = 0;
    }
  }

  stop(): void {
    this.#gone = true;
    clearTimeout(this.#settleTimer);
  }
}
