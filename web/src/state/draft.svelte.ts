/**
 * What is being edited of the chosen channel's undercoat. It is run when the hand rests, and stays until what was run
 * has arrived: an earlier wish that arrives meanwhile does not take it out of the artist's hand.
 */

import { lacksPick } from "./ingredients";
import { tell } from "./told";
import type { ChannelAddress, Recipe } from "./types";

const REST = 600;

export class Draft {
  recipe = $state.raw<Recipe | null>(null);
  /** It has not been asked for, and will be. */
  waits = $state(false);
  #on: ChannelAddress | null = null;
  #timer: ReturnType<typeof setTimeout> | undefined;
  /** It has been edited since something was asked for. */
  #newer = false;
  /** What was asked for has not arrived. */
  #awaited = false;
  /** A knob is held: one drag is one step, however long the hand rests in it. */
  held = false;

  /** run: have it worked out; false where the server cannot be told now. */
  constructor(private readonly run: (on: ChannelAddress, recipe: Recipe) => boolean) {}

  /** Whether there is something to be worked out: what has still to be picked is said at its term. */
  edit(on: ChannelAddress, recipe: Recipe): boolean {
    this.recipe = recipe;
    this.#on = on;
    this.#newer = true;
    this.#stopTimer();
    this.waits = recipe.terms.length > 0 && !recipe.terms.some(lacksPick);
    if (this.waits) this.#timer = setTimeout(() => this.#rested(), REST);
    return this.waits;
  }

  #rested(): void {
    if (this.held) this.#timer = setTimeout(() => this.#rested(), REST / 4);
    else this.now();
  }

  /** The server can be told again: ask for what could not be asked for before. What was, shows when it arrives. */
  goOn(): void {
    if (this.#awaited && !this.#newer) this.drop();
    this.#awaited = false;
    if (this.#timer === undefined) this.now();
  }

  /** Ask for what waits without waiting for the hand to rest. */
  now(): void {
    if (!this.waits || !this.#on || !this.recipe) return;
    this.#stopTimer();
    if (!this.run(this.#on, this.recipe)) return;
    this.waits = this.#newer = false;
    this.#awaited = true;
  }

  #stopTimer(): void {
    clearTimeout(this.#timer);
    this.#timer = undefined;
  }

  /** The channel's undercoat has become another one: by what was asked for here, or by somebody else's step. */
  arrived(): void {
    if (this.waits) return;
    const earlier = this.#newer && this.#awaited;
    this.#awaited = false;
    if (!earlier) this.drop();
  }

  /** What was asked for will not come. */
  refused(): void {
    this.#awaited = false;
  }

  /** Forget it, and do not run it. */
  drop(): void {
    this.#stopTimer();
    this.recipe = null;
    this.waits = this.#newer = false;
  }

  /** Another channel is chosen: what waits is run now. */
  leave(): void {
    this.held = false;
    this.now();
    if (this.waits) {
      tell({
        problem: "The connection to the server is lost: the last edit of the undercoat has not been run.",
        remedy: "Make it again when it is back.",
      });
    }
    this.drop();
  }
}
