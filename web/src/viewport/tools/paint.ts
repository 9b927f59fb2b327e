/** Strokes: everything the pen reports is sent; Shift draws a straight line from where the last one ended. */

import type { Vector3 } from "three";

import type { PointerSample } from "../../state/types";
import type { Hit } from "../picking";
import type { Viewport } from "../viewport";
import { placeIn, type Bench, type Place, type Tool } from "./tool";

/** Pixels that the brush lags behind the pointer when fully steadied. */
const LONGEST_ROPE = 90;
/** Pixels between the samples of a straight line. */
const LINE_STEP = 4;
/** Samples in one message at most. */
const AT_ONCE = 200;

function sample(viewport: Viewport, hit: Hit, event: PointerEvent): PointerSample {
  const pen = event.pointerType === "pen";
  return {
    position: viewport.projection.inWorld(hit.position),
    normal: [hit.normal.x, hit.normal.y, hit.normal.z],
    pressure: pen ? event.pressure : 1,
    tilt: pen ? Math.min(1, Math.hypot(event.tiltX, event.tiltY) / 90) : 0,
  };
}

export class PaintTool implements Tool {
  #rope: Place | null = null;
  #lineFrom: Vector3 | null = null;
  /** What the pen last reported while it was down, and how hard it was pressed then. */
  #last: { event: PointerEvent; pressure: number } | null = null;

  constructor(private readonly bench: Bench) {}

  begin(at: Place, hit: Hit | null, event: PointerEvent): boolean {
    this.#rope = at;
    this.#last = null;
    if (event.shiftKey && this.#lineFrom) {
      this.#line(this.#lineFrom, at, event);
      return false;
    }
    if (!hit || !this.bench.studio.painting.begin([sample(this.bench.viewport, hit, event)])) return false;
    this.#lineFrom = hit.position;
    return true;
  }

  /** A stroke along the straight line on the screen from where the last one ended. */
  #line(from: Vector3, to: Place, event: PointerEvent): void {
    const { viewport, studio } = this.bench;
    const begin = viewport.projection.toPixels(from);
    const count = Math.max(1, Math.round(Math.hypot(to.x - begin.x, to.y - begin.y) / LINE_STEP));
    const samples: PointerSample[] = [];
    for (let i = 0; i <= count; i++) {
      const t = i / count;
      const hit = viewport.hit(begin.x + t * (to.x - begin.x), begin.y + t * (to.y - begin.y));
      if (hit) {
        samples.push(sample(viewport, hit, event));
        this.#lineFrom = hit.position;
      }
    }
    const [first, ...others] = samples;
    if (!first || !studio.painting.begin([first])) return;
    for (let i = 0; i < others.length; i += AT_ONCE) studio.painting.extend(others.slice(i, i + AT_ONCE));
    studio.painting.end();
  }

  /** Where the brush is when it is drawn behind the pointer on a rope. */
  #steadied(at: Place): Place | null {
    const length = this.bench.studio.brush.steady * LONGEST_ROPE;
    const rope = this.#rope;
    if (length <= 0 || !rope) return at;
    const apart = Math.hypot(at.x - rope.x, at.y - rope.y);
    if (apart <= length) return null;
    const share = 1 - length / apart;
    this.#rope = { x: rope.x + (at.x - rope.x) * share, y: rope.y + (at.y - rope.y) * share };
    return this.#rope;
  }

  move(_: Place, event: PointerEvent): void {
    const { viewport, studio, element } = this.bench;
    const samples: PointerSample[] = [];
    // Browsers merge what the pen reported between two pictures; all of it counts.
    const merged = event.getCoalescedEvents?.() ?? [];
    for (const part of merged.length ? merged : [event]) {
      this.#last = { event: part, pressure: part.pointerType === "pen" ? part.pressure : 1 };
      const at = this.#steadied(placeIn(element, part));
      const hit = at && viewport.hit(at.x, at.y);
      if (hit) {
        samples.push(sample(viewport, hit, part));
        this.#lineFrom = hit.position;
      }
    }
    studio.painting.extend(samples);
  }

  ringAt(at: Place): Place {
    return this.bench.studio.brush.steady > 0 && this.#rope ? this.#rope : at;
  }

  end(at: Place): void {
    this.#catchUp(at);
    this.bench.studio.painting.end();
  }

  /** A brush on a rope goes the rest of the way, straight to where the pen was lifted. */
  #catchUp(to: Place): void {
    const { viewport, studio } = this.bench;
    const from = this.#rope;
    const last = this.#last;
    if (studio.brush.steady <= 0 || !from || !last) return;
    const count = Math.ceil(Math.hypot(to.x - from.x, to.y - from.y) / LINE_STEP);
    const samples: PointerSample[] = [];
    for (let i = 1; i <= count; i++) {
      const t = i / count;
      const hit = viewport.hit(from.x + t * (to.x - from.x), from.y + t * (to.y - from.y));
      if (hit) samples.push({ ...sample(viewport, hit, last.event), pressure: last.pressure });
      if (hit) this.#lineFrom = hit.position;
    }
    studio.painting.extend(samples);
  }
}
