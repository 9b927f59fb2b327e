/** Expressions over a document that the server hands out as data, worked out here: see core.tree.host. */

import type { BlendDocument, CompiledBlend } from "./types";

/** A number, or a word and what it is about. */
export type Expression = number | [string, ...(Expression | string)[]];

/** The value at a JSON pointer (RFC 6901, without escapes: our names need none). */
export function atPath(document: unknown, path: string): unknown {
  return path
    .split("/")
    .slice(1)
    .reduce<unknown>((at, step) => (at as Record<string, unknown>)[step], document);
}

const FUNCTIONS: Record<string, (...of: number[]) => number> = {
  add: (a, b) => a! + b!,
  subtract: (a, b) => a! - b!,
  multiply: (a, b) => a! * b!,
  divide: (a, b) => a! / b!,
  floor: (a) => Math.floor(a!),
  fract: (a) => a! - Math.floor(a!),
  cosine: (degrees) => Math.cos((degrees! * Math.PI) / 180),
  sine: (degrees) => Math.sin((degrees! * Math.PI) / 180),
};

export function worth(
  expression: Expression,
  document: BlendDocument,
  facts: Record<string, number>,
): number {
  if (typeof expression === "number") return expression;
  const [word, ...about] = expression;
  if (word === "pointer") return Number(atPath(document, about[0] as string));
  if (word === "fact") return facts[about[0] as string]!;
  return FUNCTIONS[word]!(...about.map((a) => worth(a as Expression, document, facts)));
}

function pointersIn(expression: Expression): string[] {
  if (typeof expression === "number") return [];
  const [word, ...about] = expression;
  if (word === "pointer") return [about[0] as string];
  return word === "fact" ? [] : about.flatMap((a) => pointersIn(a as Expression));
}

/** Whether two documents differ only in numbers that this shader takes as uniforms. */
export function sameButForNumbers(compiled: CompiledBlend, a: BlendDocument, b: BlendDocument): boolean {
  if (a === b) return true;
  const pointers = compiled.uniforms.flatMap((u) => u.values.flatMap((v) => pointersIn(v as Expression)));
  const without = (document: BlendDocument) => {
    const copy = JSON.parse(JSON.stringify(document)) as unknown;
    for (const pointer of pointers) {
      const steps = pointer.split("/");
      const last = steps.pop()!;
      const holder = atPath(copy, steps.join("/")) as Record<string, unknown> | undefined;
      if (holder) holder[last] = 0;
    }
    return JSON.stringify(copy);
  };
  const same = (document: BlendDocument) =>
    compiled.alike.every((paths) => {
      const values = paths.map((path) => JSON.stringify(atPath(document, path)));
      return values.every((value) => value === values[0]);
    });
  try {
    return without(a) === without(b) && same(a) && same(b);
  } catch {
    // A place that a pointer leads to is not in one of them.
    return false;
  }
}
