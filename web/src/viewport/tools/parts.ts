/** Click a connected part to pick it, once more to let it go. */

import { bytes } from "../../state/server";
import { tellError } from "../../state/told";
import type { Hit } from "../picking";
import type { Bench, Place, Tool } from "./tool";

export class PartsTool implements Tool {
  constructor(private readonly bench: Bench) {}

  begin(_: Place, hit: Hit | null): boolean {
    if (hit) void this.#toggle(hit.triangle).catch(tellError);
    return false;
  }

  async #toggle(triangle: number): Promise<void> {
    const { studio } = this.bench;
    if (this.#letGo(triangle)) return;
    const path = `/api/surfaces/${studio.surface.id}/faces?unit=part&triangle=${triangle}`;
    const triangles = new Uint32Array(await bytes(path));
    // A second click on the same part may have come before the first was answered.
    if (!this.#letGo(triangle))
      studio.selection.parts = new Map([...studio.selection.parts, [triangle, triangles]]);
  }

  #letGo(triangle: number): boolean {
    const { studio } = this.bench;
    const left = [...studio.selection.parts].filter(([, triangles]) => !triangles.includes(triangle));
    if (left.length === studio.selection.parts.size) return false;
    studio.selection.parts = new Map(left);
    return true;
  }

  move(): void {}
  end(): void {}
}
