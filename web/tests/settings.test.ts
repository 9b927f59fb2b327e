import { expect, it } from "vitest";

import { changeAt, valueAt } from "../src/panels/settings/document";

const FILM = { level: 0.5, ripples: { metres: 0.2, speed: 1 }, colour: [1, 2, 3], sink: null };

it("finds a field and one inside a part, and nothing in a part that is not there", () => {
  expect([valueAt(FILM, "level"), valueAt(FILM, "ripples/speed"), valueAt(FILM, "sink")]).toEqual([
    0.5,
    1,
    null,
  ]);
  expect([valueAt(FILM, "sink/metres"), valueAt(FILM, "foam/metres")]).toEqual([undefined, undefined]);
});

it("says what changes and leaves the document as it was", () => {
  const before = structuredClone(FILM);
  expect(changeAt(FILM, "level", 1)).toEqual({ level: 1 });
  expect(changeAt(FILM, "ripples/speed", 2)).toEqual({ ripples: { metres: 0.2, speed: 2 } });
  expect(FILM).toEqual(before);
});
