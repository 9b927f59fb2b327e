/**
 * What the pointer does: the tool with the left button or the pen, the view with everything else.
 *
 * Right drag, space+drag or, unless switched off, a drag that begins beside the surface turns; middle drag or
 * shift+right drag shifts; two fingers turn, shift and zoom. A finger alone turns too, so that a
 * hand resting beside the pen never paints. What the left button does on the surface is up to the
 * tool: see tools/.
 */

import { TYPED } from "../state/keys";
import { FIRST, FRONT, SIDE, TOP } from "./orbit";
import type { Hit } from "./picking";
import { toolsOf, type Way } from "./tools";
import { placeIn, type Bench, type Place, type Tool } from "./tools/tool";

export class PointerWays {
  #tools: Record<Way, Tool>;
  #tool: Tool | null = null;
  #pointer = -1;
  #hover: Place | null = null;
  #fingers = new Map<number, Place>();
  #held = new Set<string>();
  readonly #abort = new AbortController();

  constructor(
    private readonly bench: Bench,
    private readonly onHold: (holding: boolean) => void,
  ) {
    this.#tools = toolsOf(bench);
    const { signal } = this.#abort;
    const on = <K extends keyof HTMLElementEventMap>(
      name: K,
      listener: (event: HTMLElementEventMap[K]) => void,
      passive = true,
    ) => bench.element.addEventListener(name, listener, { signal, passive });
    on("pointerdown", (e) => this.#down(e), false);
    on("pointermove", (e) => this.#move(e));
    on("pointerup", (e) => this.#up(e));
    on("pointercancel", (e) => this.#up(e));
    on("pointerleave", () => {
      if (!this.#tool) {
        this.#hover = null;
        bench.ring.clear();
      }
    });
    on("contextmenu", (e) => e.preventDefault(), false);
    on("wheel", (e) => this.#wheel(e), false);
  }

  dispose(): void {
    this.#abort.abort();
  }

  #place(event: PointerEvent | WheelEvent): Place {
    return placeIn(this.bench.element, event);
  }

  #down(event: PointerEvent): void {
    const at = this.#place(event);
    this.#capture(event.pointerId);
    if (event.pointerType === "touch") {
      this.#fingers.set(event.pointerId, at);
      return;
    }
    if (this.#tool) return;
    const hit = this.bench.viewport.hit(at.x, at.y);
    const tool = this.#tools[this.#wayFor(event, hit)];
    if (!tool.begin(at, hit, event)) return;
    this.#tool = tool;
    this.#pointer = event.pointerId;
    if (tool.holdsView) this.onHold(true);
  }

  #wayFor(event: PointerEvent, hit: Hit | null): Way {
    const { studio } = this.bench;
    if (this.#held.has("k")) return "light";
    if (this.#held.has("d")) return "size";
    if (event.button === 1) return "shift";
    if (event.button === 2) return event.shiftKey ? "shift" : "turn";
    if (this.#held.has(" ")) return event.shiftKey ? "shift" : "turn";
    if (studio.selection.tool === "choose") return "choose";
    if (studio.preparing.planShown) return "turn";
    if (studio.selection.tool === "parts" && studio.selection.level > 0) return "turn";
    if (hit && studio.selection.line) return "line";
    return hit ? studio.selection.tool : studio.selection.besideTurns ? "turn" : "nothing";
  }

  #capture(pointer: number): void {
    try {
      this.bench.element.setPointerCapture(pointer);
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
    if (!this.#tool) this.#hover = at;
    else {
      if (event.pointerId !== this.#pointer) return;
      this.#tool.move(at, event);
      if (!this.#tool.ringAt) return;
      this.#hover = this.#tool.ringAt(at);
    }
    this.refreshRing();
  }

  #moveFingers(pointer: number, at: Place): void {
    const before = this.#fingers.get(pointer);
    if (!before) return;
    const { viewport, element } = this.bench;
    const other = [...this.#fingers].find(([id]) => id !== pointer)?.[1];
    this.#fingers.set(pointer, at);
    const height = element.clientHeight;
    const [dx, dy] = [(at.x - before.x) / height, (at.y - before.y) / height];
    if (!other) viewport.orbit.turn(dx, dy);
    else {
      const apart = Math.hypot(at.x - other.x, at.y - other.y);
      const was = Math.hypot(before.x - other.x, before.y - other.y);
      viewport.orbit.shift(dx / 2, dy / 2);
      if (apart > 1 && was > 1) viewport.orbit.zoom(was / apart, null);
    }
    viewport.invalidate(true);
  }

  #up(event: PointerEvent): void {
    this.#fingers.delete(event.pointerId);
    if (event.pointerId !== this.#pointer || !this.#tool) return;
    const at = this.#place(event);
    this.#tool.end(at);
    this.#tool = null;
    this.#pointer = -1;
    this.onHold(false);
    this.#hover = at;
    this.refreshRing();
  }

  #wheel(event: WheelEvent): void {
    event.preventDefault();
    const { viewport } = this.bench;
    const at = this.#place(event);
    const towards = viewport.hit(at.x, at.y)?.position ?? null;
    viewport.orbit.zoom(Math.exp(Math.max(-1, Math.min(1, event.deltaY * 0.0012))), towards);
    viewport.invalidate(true);
  }

  // Keys held and keys for the view

  keyDown(event: KeyboardEvent): void {
    const target = event.target as HTMLElement;
    if (target.closest(`${TYPED}, [role=dialog], [role=menu]`)) return;
    const key = event.key.toLowerCase();
    // What has the focus keeps its own arrows, and the space that presses it.
    if (/^(arrow|home| |\+|-)/.test(key) && target.closest("button, input, [role=slider], [role=option]"))
      return;
    if (event.ctrlKey || event.metaKey) return;
    if (key === "x") {
      this.bench.studio.brush.flipped = true;
      this.refreshRing();
      return;
    }
    if (key === " " || key === "k" || key === "d") {
      this.#held.add(key);
      event.preventDefault();
      return;
    }
    const { viewport } = this.bench;
    const { orbit } = viewport;
    const ways: Record<string, () => void> = {
      arrowleft: () => orbit.turn(-0.04, 0),
      arrowright: () => orbit.turn(0.04, 0),
      arrowup: () => orbit.turn(0, -0.04),
      arrowdown: () => orbit.turn(0, 0.04),
      "+": () => orbit.zoom(0.9, null),
      "-": () => orbit.zoom(1 / 0.9, null),
      home: () => viewport.frameAll(FIRST),
      "0": () => viewport.frameAll(),
      "shift+arrowdown": () => viewport.frameAll(FRONT),
      "shift+arrowright": () => viewport.frameAll(SIDE),
      "shift+arrowup": () => viewport.frameAll(TOP),
    };
    const way = ways[event.shiftKey && key.startsWith("arrow") ? `shift+${key}` : key];
    if (!way || event.altKey) return;
    event.preventDefault();
    way();
    viewport.invalidate(true);
  }

  keyUp(event: KeyboardEvent): void {
    const key = event.key.toLowerCase();
    this.#held.delete(key);
    const { brush } = this.bench.studio;
    if (key === "x" && brush.flipped) {
      brush.flipped = false;
      this.refreshRing();
    }
  }

  release(): void {
    this.#held.clear();
    this.bench.studio.brush.flipped = false;
  }

  /** Draw the ring where the pointer is, and ask what is there. */
  refreshRing(): void {
    const { studio, viewport, ring } = this.bench;
    if (!this.#hover || (this.#tool && !this.#tool.ringAt) || studio.preparing.planShown) return;
    // While another level is on its way, what is seen has triangles that are none of those chosen.
    if (viewport.scenery.level !== studio.selection.level) return;
    const hit = viewport.hit(this.#hover.x, this.#hover.y);
    const through =
      studio.selection.line?.places ?? (studio.selection.tool === "path" ? studio.selection.path : []);
    if (through.length) {
      const picked = through.map((place) => viewport.projection.toPixels(viewport.projection.inScene(place)));
      ring.path([...picked, ...(hit ? [this.#hover] : [])], picked.length);
      if (hit) studio.probing.ask(hit.triangle, hit.barycentric);
      return;
    }
    if (!hit) {
      ring.clear();
      return;
    }
    ring.draw(
      hit,
      {
        radius: studio.brush.settings.radius,
        halfway: studio.brush.halfway,
        shown: studio.selection.tool === "brush",
        lowering: studio.brush.flipped || ["erase", "subtract"].includes(studio.brush.settings.act),
        refused: studio.selection.channel.locked || studio.live.connection !== "ready",
      },
      viewport.picker,
      viewport.orbit.camera,
    );
    studio.probing.ask(hit.triangle, hit.barycentric);
  }
}
