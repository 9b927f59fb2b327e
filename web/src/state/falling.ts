/** What a light gives to a surface, as the server sends it. */

import { parseArrays } from "./arrays";

/** All of it metered, with the light in the north. size: of the sky's map: across, up, levels; sky: RGBA, 16-bit floats. */
export interface Falling {
  key: [number, number, number];
  harmonics: number[];
  white: [number, number, number];
  bounce: [number, number, number];
  near: boolean;
  size: [number, number, number];
  sky: Uint16Array<ArrayBuffer>;
}

export function parseFalling(data: ArrayBuffer): Falling {
  const { head, at } = parseArrays<Omit<Falling, "sky">>(data);
  return { ...head, sky: new Uint16Array(data, at(0), 4 * head.size[0] * head.size[1] * head.size[2]) };
}
