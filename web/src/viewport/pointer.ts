/**
 * What the pointer does: paint with the left button or the pen, move the view with everything else.
 *
 * Right drag, space+drag or a drag that begins beside the surface turns; middle drag or
 * shift+right drag shifts; two fingers turn, shift and zoom. A finger alone turns too, so that a
 * hand resting beside the pen never paints. What the left button does on the surface is up to the
 * tool: strokes, whole faces, a gradient between two places, or an outline round faces.
 */

import type { Vector3 } from "three";

import type { PointerSample } from "../state/types";
import type { Studio } from "../state/studio.svelte";
import type { Hit } from "./picking";
import type { RingOverlay } from "./ring";
import type { Viewport } from "./viewport";

type Way = "paint" | "faces" | "gradient" | "outline" | "size" | "turn" | "shift" | "light";

interface Place {
  x: number;
  y: number;
}

/** Pixels that the brush lags behind the pointer when fully steadied. */
const LONGEST_ROPE = 90;
/** Pixels between the samples of a straight line. */
const LINE_STEP = 4;

export class PointerWays {
  #way: Way | null = null;
  #pointer = -1;
  #last = { x: 0, y: 0 };
  #hover: { x: number; y: number } | null = null;
  #fingers = new Map<number, { x: number; y: number }>();
  #held = new Set<string>();
  #rope: Place | null = null;
  #picked = new Set<number>();
  #outline: Place[] = [];
  #from: Hit | null = null;
  #lineFrom: Vector3 | null = null;
  readonly #abort = new AbortController();

  constructor(
    private readonly element: HTMLElement,
    private readonly viewport: Viewport,
    private readonly ring: RingOverlay,
    private readonly studio: Studio,
    private readonly onHold: (holding: boolean) => void,
  ) {
    const { signal } = this.#abort;
    const on = <K extends keyof HTMLElementEventMap>(
      name: K,
      act: (event: HTMLElementEventMap[K]) => void,
      passive = true,
    ) => element.addEventListener(name, act, { signal, passive });
    on("pointerdown", (e) => this.#down(e), false);
    on("pointermove", (e) => this.#move(e));
    on("pointerup", (e) => this.#up(e));
    on("pointercancel", (e) => this.#up(e));
    on("pointerleave", () => {
      if (!this.#way) {
        this.#hover = null;
        this.ring.clear();
      }
    });
    on("contextmenu", (e) => e.preventDefault(), false);
    on("wheel", (e) => this.#wheel(e), false);
  }

  dispose(): void {
    this.#abort.abort();
  }

  // Pointer

  #place(event: { clientX: number; clientY: number }): { x: number; y: number } {
    const box = this.element.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  #down(event: PointerEvent): void {
    const at = this.#place(event);
    this.#last = at;
    if (event.pointerType === "touch") {
      this.#fingers.set(event.pointerId, at);
      this.#capture(event.pointerId);
      return;
    }
    if (this.#way) return;
    const hit = this.viewport.hit(at.x, at.y);
    this.#way = this.#wayFor(event, hit);
    this.#pointer = event.pointerId;
    this.#capture(event.pointerId);
    this.#begin(this.#way, at, hit, event);
  }

  #begin(way: Way, at: Place, hit: Hit | null, event: PointerEvent): void {
    switch (way) {
      case "paint":
        this.#rope = at;
        if (event.shiftKey && this.#lineFrom) {
          this.#line(this.#lineFrom, at, event);
          this.#way = null;
        } else if (hit && this.studio.beginStroke([sample(hit, event)])) this.#lineFrom = hit.position;
        else this.#way = null;
        break;
      case "faces":
        this.#picked = new Set([hit!.triangle]);
        this.viewport.choose(this.#picked);
        break;
      case "gradient":
        this.#from = hit;
        break;
      case "outline":
        this.#outline = [at];
        break;
      default:
        this.onHold(true);
    }
  }

  #wayFor(event: PointerEvent, hit: Hit | null): Way {
    if (this.#held.has("k")) return "light";
    if (this.#held.has("d")) return "size";
    if (event.button === 1) return "shift";
    if (event.button === 2) return event.shiftKey ? "shift" : "turn";
    if (this.#held.has(" ")) return event.shiftKey ? "shift" : "turn";
    if (this.studio.tool === "choose") return "outline";
    if (!hit || this.studio.planShown) return "turn";
    return this.studio.tool === "brush" ? "paint" : this.studio.tool;
  }

  /** A stroke along the straight line on the screen from where the last one ended. */
  #line(from: Vector3, to: Place, event: PointerEvent): void {
    const begin = this.viewport.toPixels(from);
    const count = Math.max(1, Math.round(Math.hypot(to.x - begin.x, to.y - begin.y) / LINE_STEP));
    const samples: PointerSample[] = [];
    for (let i = 0; i <= count; i++) {
      const t = i / count;
      const hit = this.viewport.hit(begin.x + t * (to.x - begin.x), begin.y + t * (to.y - begin.y));
      if (hit) {
        samples.push(sample(hit, event));
        this.#lineFrom = hit.position;
      }
    }
    const [first, ...others] = samples;
    if (!first || !this.studio.beginStroke([first])) return;
    for (let i = 0; i < others.length; i += 200) this.studio.extendStroke(others.slice(i, i + 200));
    this.studio.endStroke();
  }

  #capture(pointer: number): void {
    try {
      this.element.setPointerCapture(pointer);
    } catch {
      // A pointer that is gone already, or made by a script.
    }
  }

  #move(event: PointerEvent): void {
    const at = this.#place(event);
    if (event.pointerType === "touch") {
      this.#moveFingers(event.pointerId, at);
      return;
    }
    if (!this.#way) {
      this.#hover = at;
      this.refreshRing();
      return;
    }
    if (event.pointerId !== this.#pointer) return;
    this.#go(this.#way, at, event);
    this.#last = at;
  }

  #go(way: Way, at: Place, event: PointerEvent): void {
    switch (way) {
      case "paint":
        this.#paintTo(event);
        this.#hover = this.#rope ?? at;
        this.refreshRing();
        break;
      case "faces": {
        const hit = this.viewport.hit(at.x, at.y);
        if (hit && !this.#picked.has(hit.triangle)) {
          this.#picked.add(hit.triangle);
          this.viewport.choose(this.#picked);
        }
        break;
      }
      case "gradient":
        if (this.#from) this.ring.line(this.viewport.toPixels(this.#from.position), at);
        break;
      case "outline":
        this.#outline.push(at);
        this.ring.outline(this.#outline);
        break;
      case "size": {
        const height = this.element.clientHeight;
        this.studio.brush.scaleRadius(Math.exp(((at.x - this.#last.x) / height) * 4));
        this.studio.brush.addStrength(-((at.y - this.#last.y) / height) * 1.5);
        this.refreshRing();
        break;
      }
      default:
        this.#drag(way, at);
    }
  }

  /** Where the brush is when it is drawn behind the pointer on a rope. */
  #steadied(at: Place): Place | null {
    const length = this.studio.brush.steady * LONGEST_ROPE;
    const rope = this.#rope;
    if (length <= 0 || !rope) return at;
    const apart = Math.hypot(at.x - rope.x, at.y - rope.y);
    if (apart <= length) return null;
    const share = 1 - length / apart;
    this.#rope = { x: rope.x + (at.x - rope.x) * share, y: rope.y + (at.y - rope.y) * share };
    return this.#rope;
  }

  #paintTo(event: PointerEvent): void {
    const samples: PointerSample[] = [];
    // Browsers merge what the pen reported between two pictures; all of it counts.
    const merged = event.getCoalescedEvents?.() ?? [];
    for (const part of merged.length ? merged : [event]) {
      const at = this.#steadied(this.#place(part));
      const hit = at && this.viewport.hit(at.x, at.y);
      if (hit) {
        samples.push(sample(hit, part));
        this.#lineFrom = hit.position;
      }
    }
    this.studio.extendStroke(samples);
  }

  #drag(way: Way, at: { x: number; y: number }): void {
    const height = this.element.clientHeight;
    const dx = (at.x - this.#last.x) / height;
    const dy = (at.y - this.#last.y) / height;
    if (way === "turn") this.viewport.orbit.turn(dx, dy);
    else if (way === "shift") this.viewport.orbit.shift(dx, dy);
    else this.viewport.moveLight(dx, dy);
    this.ring.clear();
    this.viewport.invalidate(true);
  }

  #moveFingers(pointer: number, at: { x: number; y: number }): void {
    const before = this.#fingers.get(pointer);
    if (!before) return;
    const others = [...this.#fingers].filter(([id]) => id !== pointer).map(([, p]) => p);
    this.#fingers.set(pointer, at);
    const height = this.element.clientHeight;
    const [dx, dy] = [(at.x - before.x) / height, (at.y - before.y) / height];
    const other = others[0];
    if (!other) this.viewport.orbit.turn(dx, dy);
    else {
      const apart = Math.hypot(at.x - other.x, at.y - other.y);
      const was = Math.hypot(before.x - other.x, before.y - other.y);
      this.viewport.orbit.shift(dx / 2, dy / 2);
      if (apart > 1 && was > 1) this.viewport.orbit.zoom(was / apart, null);
    }
    this.viewport.invalidate(true);
  }

  #up(event: PointerEvent): void {
    this.#fingers.delete(event.pointerId);
    if (event.pointerId !== this.#pointer || !this.#way) return;
    this.#finish(this.#way, this.#place(event));
    this.#way = null;
    this.#pointer = -1;
    this.onHold(false);
    this.#hover = this.#place(event);
    this.refreshRing();
  }

  #finish(way: Way, at: Place): void {
    const { studio } = this;
    const weight = studio.brush.flipped ? 0 : studio.brush.settings.target;
    if (way === "paint") studio.endStroke();
    else if (way === "faces") {
      studio.fill({ act: "even", weight }, { faces: { ...studio.faces, picked: [...this.#picked] } });
      this.#picked = new Set();
      this.viewport.choose(studio.chosen);
    } else if (way === "gradient") {
      const to = this.viewport.hit(at.x, at.y);
      if (this.#from && to && to.position.distanceTo(this.#from.position) > 0) {
        studio.fill({
          act: "gradient",
          begin: this.#from.position.toArray(),
          end: to.position.toArray(),
          begin_weight: 0,
          end_weight: weight,
          beyond: true,
        });
      }
      this.#from = null;
      this.ring.clear();
    } else if (way === "outline") this.#choose(at);
  }

  /** Add the outlined faces, or the one that was clicked, to those chosen; with X held take them away. */
  #choose(at: Place): void {
    this.ring.clear();
    const { studio } = this;
    const outline = this.#outline;
    this.#outline = [];
    const extent = Math.max(...outline.map((p) => Math.hypot(p.x - outline[0]!.x, p.y - outline[0]!.y)));
    const hit = extent < 5 ? this.viewport.hit(at.x, at.y) : null;
    const found = extent < 5 ? (hit ? [hit.triangle] : []) : this.viewport.inside(outline, false);
    const chosen = new Set(studio.chosen);
    for (const triangle of found) {
      if (studio.brush.flipped || (extent < 5 && studio.chosen.has(triangle))) chosen.delete(triangle);
      else chosen.add(triangle);
    }
    studio.chosen = chosen;
  }

  #wheel(event: WheelEvent): void {
    event.preventDefault();
    const at = this.#place(event);
    const towards = this.viewport.hit(at.x, at.y)?.position ?? null;
    this.viewport.orbit.zoom(Math.exp(Math.max(-1, Math.min(1, event.deltaY * 0.0012))), towards);
    this.viewport.invalidate(true);
  }

  // Keys held and keys for the view

  keyDown(event: KeyboardEvent): void {
    const target = event.target as HTMLElement;
    if (target.closest("input, textarea, select, button, [role=slider], [role=dialog], [role=menu]")) return;
    const key = event.key.toLowerCase();
    if (key === "x" && !event.ctrlKey && !event.metaKey) {
      this.studio.brush.flipped = true;
      this.refreshRing();
      return;
    }
    if ((key === " " || key === "k" || key === "d") && !event.ctrlKey && !event.metaKey) {
      this.#held.add(key);
      event.preventDefault();
      return;
    }
    const orbit = this.viewport.orbit;
    const ways: Record<string, () => void> = {
      arrowleft: () => orbit.turn(-0.04, 0),
      arrowright: () => orbit.turn(0.04, 0),
      arrowup: () => orbit.turn(0, -0.04),
      arrowdown: () => orbit.turn(0, 0.04),
      "+": () => orbit.zoom(0.9, null),
      "-": () => orbit.zoom(1 / 0.9, null),
      home: () => this.viewport.frameAll(),
    };
    const way = ways[key];
    if (!way || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    way();
    this.viewport.invalidate(true);
  }

  keyUp(event: KeyboardEvent): void {
    const key = event.key.toLowerCase();
    this.#held.delete(key);
    if (key === "x" && this.studio.brush.flipped) {
      this.studio.brush.flipped = false;
      this.refreshRing();
    }
  }

  release(): void {
    this.#held.clear();
    this.studio.brush.flipped = false;
  }

  // Ring

  /** Draw the ring where the pointer is, and ask what is there. */
  refreshRing(): void {
    if (!this.#hover || (this.#way && this.#way !== "paint" && this.#way !== "size")) return;
    if (this.studio.planShown) return;
    const hit = this.viewport.hit(this.#hover.x, this.#hover.y);
    if (!hit) {
      this.ring.clear();
      return;
    }
    const { studio } = this;
    this.ring.draw(
      hit,
      {
        radius: studio.brush.settings.radius,
        halfway: studio.brush.halfway,
        shown: studio.tool === "brush",
        lowering: studio.brush.flipped || ["erase", "subtract"].includes(studio.brush.settings.act),
        refused: studio.channel.locked || studio.live.connection !== "ready",
      },
      this.viewport.picker,
      this.viewport.orbit.camera,
    );
    studio.probe(hit.triangle, hit.barycentric);
  }
}

function sample(hit: Hit, event: PointerEvent): PointerSample {
  const pen = event.pointerType === "pen";
  return {
    position: [hit.position.x, hit.position.y, hit.position.z],
    normal: [hit.normal.x, hit.normal.y, hit.normal.z],
    pressure: pen ? event.pressure : 1,
    tilt: pen ? Math.min(1, Math.hypot(event.tiltX, event.tiltY) / 90) : 0,
  };
}
