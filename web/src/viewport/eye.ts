/** A viewport as the state sees it. */

import type { Eye } from "../state/eye";
import { lensOf } from "../state/lensProgram.svelte";
import type { Studio } from "../state/studio.svelte";
import type { View } from "./programs";
import type { Viewport } from "./viewport";

/** maskView: how a mask is looked at. */
export function eyeOf(viewport: Viewport, studio: Studio, pane: HTMLElement, maskView: () => View): Eye {
  return {
    rows: () => viewport.projection.viewRows(),
    middle: () => {
      const found = viewport.hit(pane.clientWidth / 2, pane.clientHeight / 2);
      return found && viewport.projection.inWorld(found.position);
    },
    stand: () => viewport.stand,
    look: (from) => viewport.look(from),
    frameChosen: () => viewport.frameChosen(),
    save: (width, sky, onDone) => viewport.aside.save(width, sky, onDone),
    straighten: (straight) => {
      viewport.orbit.straight = straight;
      viewport.invalidate();
    },
    keyLight: () => viewport.keyLight,
    visit: (number) => {
      studio.selection.lens = "blend";
      viewport.visit(number);
    },
    pictureOf: async (recipe) => {
      const program = await lensOf(studio, { kind: "recipe", recipe }).catch(() => null);
      return program && viewport.aside.pictureOf({ ...maskView(), program }, 160, 100);
    },
  };
}
