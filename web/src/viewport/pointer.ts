/**
 * What the pointer does: paint with the left button or the pen, move the view with everything else.
 *
 * Right drag, space+drag or a drag that begins beside the surface turns; middle drag or
 * shift+right drag shifts; two fingers turn, shift and zoom. A finger alone turns too, so that a
 * hand resting beside the pen never paints.
 */

import type { PointerSample } from "../state/types";
import type { Studio } from "../state/studio.svelte";
import type { Hit } from "./picking";
import type { RingOverlay } from "./ring";
import type { Viewport } from "./viewport";

type Way = "paint" | "turn" | "shift" | "light";

export class PointerWays {
  #way: Way | null = null;
  #pointer = -1;
  #last = { x: 0, y: 0 };
  #hover: { x: number; y: number } | null = null;
  #fingers = new Map<number, { x: number; y: number }>();
  #held = new Set<string>();
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
    if (this.#way === "paint" && hit) {
      if (!this.studio.beginStroke([sample(hit, event)])) this.#way = null;
    } else this.onHold(true);
  }

  #wayFor(event: PointerEvent, hit: Hit | null): Way {
    if (this.#held.has("k")) return "light";
    if (event.button === 1) return "shift";
    if (event.button === 2) return event.shiftKey ? "shift" : "turn";
    if (this.#held.has(" ")) return event.shiftKey ? "shift" : "turn";
    return hit ? "paint" : "turn";
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
    if (this.#way === "paint") {
      this.#paintTo(event);
      this.#hover = at;
      this.refreshRing();
    } else this.#drag(this.#way, at);
    this.#last = at;
  }

  #paintTo(event: PointerEvent): void {
    const samples: PointerSample[] = [];
    // Browsers merge what the pen reported between two pictures; all of it counts.
    const merged = event.getCoalescedEvents?.() ?? [];
    for (const part of merged.length ? merged : [event]) {
      const at = this.#place(part);
      const hit = this.viewport.hit(at.x, at.y);
      if (hit) samples.push(sample(hit, part));
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
    if (this.#way === "paint") this.studio.endStroke();
    this.#way = null;
    this.#pointer = -1;
    this.onHold(false);
    this.refreshRing();
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
    if (key === " " || key === "k") {
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
    this.#held.delete(event.key.toLowerCase());
  }

  release(): void {
    this.#held.clear();
  }

  // Ring

  /** Draw the ring where the pointer is, and ask what is there. */
  refreshRing(): void {
    if (!this.#hover || (this.#way && this.#way !== "paint")) return;
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
        erasing: studio.brush.settings.act === "erase",
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
  };
}
