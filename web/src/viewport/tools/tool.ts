/** What the left button does on the surface: one tool a file, and one line in index.ts. */

import type { Studio } from "../../state/studio.svelte";
import type { Hit } from "../picking";
import type { RingOverlay } from "../ring";
import type { Viewport } from "../viewport";

/** Pixels within the viewport. */
export interface Place {
  x: number;
  y: number;
}

/** What every tool works with. */
export interface Bench {
  viewport: Viewport;
  ring: RingOverlay;
  studio: Studio;
  element: HTMLElement;
}

export interface Tool {
  /** Begin at a place; false where the tool wants nothing more of this press. */
  begin(at: Place, hit: Hit | null, event: PointerEvent): boolean;
  move(at: Place, event: PointerEvent): void;
  end(at: Place): void;
  /** Where the ring is while the tool is at work; absent: there is none. */
  ringAt?(at: Place): Place;
  /** The view itself is held, and shown so by the cursor. */
  holdsView?: boolean;
}

export function placeIn(element: HTMLElement, event: { clientX: number; clientY: number }): Place {
  const box = element.getBoundingClientRect();
  return { x: event.clientX - box.left, y: event.clientY - box.top };
}
