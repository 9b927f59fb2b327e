/** Strokes and fills on the chosen channel. */

import type { Studio } from "./studio.svelte";
import { tell } from "./told";
import type { AnyFill, ChannelAddress, FaceChoice, PackageChoice, PointerSample } from "./types";

interface FillOptions {
  faces?: FaceChoice;
  source?: ChannelAddress;
  preview?: boolean;
  /** Lower where the fill would raise, as a brush does while a key is held. */
  flipped?: boolean;
}

const SPEAK = 1000;

export class Painting {
  /** A stroke is being painted. */
  active = $state(false);
  /** A fill is shown that is not kept. */
  previewing = $state(false);

  /** The stroke whose pen is up and that is not kept yet. */
  ended = $state<string | null>(null);

  #number = 0;
  #speaking: ReturnType<typeof setInterval> | undefined;
  #stroke: string | null = null;
  #refused: string | null = null;

  constructor(private readonly studio: Studio) {}

  begin(samples: PointerSample[]): boolean {
    const { studio } = this;
    if (studio.selection.channel.locked) {
      tell({
        problem: `${studio.selection.channel.name} is locked.`,
        remedy: "Unlock the channel to paint on it.",
      });
      return false;
    }
    // The surface is about to be another one: a stroke on what is seen now would land on that.
    if (studio.stepsWait) return false;
    const stroke = `s${++this.#number}`;
    const brush = studio.brush.forStroke(() => studio.eye.rows());
    const begun = {
      type: "begin" as const,
      stroke,
      on: studio.selection.address,
      brush,
      protect: studio.selection.protection,
    };
    if (!studio.live.send(begun)) {
      const lost = studio.live.connection !== "connecting";
      tell({
        problem: `Painting is paused: ${lost ? "the connection to the server is lost" : "the surface is being loaded"}.`,
        remedy: `It ${lost ? "comes back" : "goes on"} by itself; what was saved is safe.`,
      });
      return false;
    }
    this.#stroke = stroke;
    this.active = true;
    this.extend(samples);
    // A pen that rests is not a window that has gone.
    this.#speaking = setInterval(() => studio.live.send({ type: "extend", stroke, samples: [] }), SPEAK);
    return true;
  }

  extend(samples: PointerSample[]): void {
    if (this.#stroke && samples.length) {
      this.studio.live.send({ type: "extend", stroke: this.#stroke, samples });
    }
  }

  end(): void {
    if (!this.#stroke) return;
    if (this.studio.live.send({ type: "end", stroke: this.#stroke })) {
      this.studio.unsaved++;
      this.ended = this.#stroke;
    }
    this.drop();
  }

  abandon(): void {
    if (!this.#stroke) return;
    this.studio.live.send({ type: "abandon", stroke: this.#stroke });
    this.drop();
  }

  /** A whole stroke along a smooth way through the places of the path. */
  along(): void {
    const { studio } = this;
    if (studio.selection.path.length < 2 || studio.stepsWait) return;
    const stroke = `s${++this.#number}`;
    const brush = studio.brush.forStroke(() => studio.eye.rows());
    const message = {
      type: "path" as const,
      stroke,
      on: studio.selection.address,
      brush,
      protect: studio.selection.protection,
    };
    if (!studio.live.send({ ...message, places: studio.selection.path })) return;
    studio.unsaved++;
    this.ended = stroke;
    studio.selection.path = [];
  }

  /** Put back a stroke that still waits to be printed. */
  stop(): void {
    if (this.ended) this.studio.live.send({ type: "abandon", stroke: this.ended });
  }

  /** Know of no stroke any more. */
  drop(): void {
    clearInterval(this.#speaking);
    this.#stroke = null;
    this.active = false;
  }

  /** The connection broke; what had arrived of a stroke is kept. */
  lost(): void {
    if (!this.#stroke) return;
    this.drop();
    tell({
      problem: "The connection was lost in the middle of a stroke.",
      remedy: "What had arrived is kept; look at the stroke when the connection is back.",
    });
  }

  /** A refusal arrived. Returns whether it is news: what was sent after a refused beginning is refused too. */
  refuse(stroke: string | null): boolean {
    if (stroke && stroke === this.#refused) return false;
    this.#refused = stroke;
    if (stroke && stroke === this.ended) this.ended = null;
    if (stroke && stroke === this.#stroke) this.drop();
    else this.studio.unsaved = Math.max(0, this.studio.unsaved - 1);
    return true;
  }

  /** Fill the chosen channel, or chosen faces of it; false when it could not be asked for. */
  fill(fill: AnyFill, { faces, source, preview = false, flipped = false }: FillOptions = {}): boolean {
    const { studio } = this;
    const message = {
      type: "fill" as const,
      on: studio.selection.address,
      fill,
      source: source ?? null,
      faces: faces ?? null,
      protect: studio.selection.protection,
      flipped,
      preview,
    };
    const sent = preview ? studio.live.send(message) : studio.send(message);
    if (sent) this.previewing = preview;
    return sent;
  }

  /** Show the splat maps as they would go out. */
  lookAt(choice: PackageChoice): void {
    this.previewing = true;
    this.studio.live.send({ type: "look", choice });
  }

  endPreview(): void {
    if (!this.previewing) return;
    this.previewing = false;
    this.studio.live.send({ type: "end_preview" });
  }

  swap(other: ChannelAddress): void {
    this.studio.send({ type: "swap", on: this.studio.selection.address, other });
  }

  startEmpty(channelSet: string): void {
    this.studio.send({ type: "start_empty", channel_set: channelSet });
  }
}
