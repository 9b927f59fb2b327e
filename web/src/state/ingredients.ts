/** What blends and recipes are made of, as the server knows it: kinds of layer, sources, first values. */

import { freshId } from "./layers";
import { answer, server } from "./server";
import type { ChannelAddress, Ingredients, KindView, Recipe, Source, SourceView, Term } from "./types";

let known: Ingredients | null = null;

/** Fetched once, before the first surface is opened. */
export async function loadIngredients(): Promise<void> {
  known ??= await answer<Ingredients>(server.GET("/api/ingredients"));
}

export const ingredients = (): Ingredients => known!;

export const kindOf = (kind: string): KindView => known!.kinds.find((k) => k.kind === kind)!;
export const sourceOf = (kind: string): SourceView => known!.sources.find((s) => s.kind === kind)!;

/** A new term that begins with a source. */
export function freshTerm(source: Source, op: Term["op"] = "set"): Term {
  const [low, high] = sourceOf(source.kind).ends as [number, number];
  return { ...(known!.term as unknown as Term), id: freshId(), source, low, high, op };
}

/** Whether something that a measure asks to be picked is not. */
export function lacksPick({ source, on }: Term): boolean {
  const values = source as unknown as Record<string, unknown>;
  return (
    on !== false &&
    sourceOf(source.kind).settings.some(
      ({ key, pick, free, only }) =>
        pick &&
        !free &&
        (!only || only[1].includes(String(values[only[0]]))) &&
        !String(values[key] ?? "").length,
    )
  );
}

/** The recipe that is what one channel holds. */
export const ofChannel = ({ channel_set, channel }: ChannelAddress): Recipe => ({
  terms: [freshTerm({ kind: "channel", channel_set, channel })],
});

/** The recipe that is full at every place. */
export const everywhereMask = (): Recipe => ({ terms: [freshTerm({ kind: "constant", value: 1 })] });
