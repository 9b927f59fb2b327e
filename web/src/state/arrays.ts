/** Our own way to send arrays: a JSON head behind its length, then the arrays. */

export interface Entry {
  name: string;
  width: number;
  count: number;
  offset: number;
}

export function parseArrays<Head>(data: ArrayBuffer): {
  head: Head & { arrays: Entry[] };
  /** Where an array begins. */
  at: (number: number) => number;
} {
  const length = new DataView(data).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as Head & {
    arrays: Entry[];
  };
  return { head, at: (number) => 4 + length + head.arrays[number]!.offset };
}
