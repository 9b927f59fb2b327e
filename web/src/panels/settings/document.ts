/** Fields of a document by the ways that settings have for them ("finish/tint"). */

export type Fields = Record<string, unknown>;

/** What stands at a way; undefined where a part of it is not there. */
export function valueAt(document: Fields, way: string): unknown {
  return way.split("/").reduce<unknown>((at, key) => (at as Fields | null | undefined)?.[key], document);
}

/** The field of the document that changes when another value is put at a way. */
export function changeAt(document: Fields, way: string, value: unknown): Fields {
  const [key, ...rest] = way.split("/") as [string, ...string[]];
  if (rest.length === 0) return { [key]: value };
  const part = document[key] as Fields;
  return { [key]: { ...part, ...changeAt(part, rest.join("/"), value) } };
}
