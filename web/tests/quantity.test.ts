import { describe, expect, it } from "vitest";

import { fitted, shownArea, shownLength, shownSize, typedQuantity } from "../src/ui/quantity";
import { randomOf } from "./random";

describe("what is typed", () => {
  // shown: what the field multiplies its own value by; in a field of centimetres 100.
  it.each([
    ["5", 100, 0.05],
    ["5 cm", 1, 0.05],
    ["1.2m + 30", 100, 1.5],
    ["3*0.4", 1, 1.2],
    ["1/8", 1, 0.125],
    ["-(2 + 3)mm", 1000, NaN],
    ["(1 + 2) * 3cm", 1, 0.09],
    ["1,5 m", 100, 1.5],
    ["−4", 1, -4],
    ["2 ft", 1, 0.6096],
    ["1 in", 1000, 0.0254],
    ["90°", 1, 90],
    ["50 %", 100, 0.5],
    ["1e3", 1, 1000],
    [".5", 1, 0.5],
  ])("%s in a field that shows its value times %f", (text, shown, wanted) => {
    const found = typedQuantity(text, shown);
    if (Number.isNaN(wanted)) expect(found).toBeNaN();
    else expect(found).toBeCloseTo(wanted, 10);
  });

  it.each(["", "five", "3 +", "2 parsecs", "1/0", "(1", "1 2", "m"])(
    "is refused where it is nothing: %s",
    (text) => {
      expect(typedQuantity(text, 1)).toBeNaN();
    },
  );
});

it("shows every length so that it can be typed back, to what is shown of it", () => {
  const random = randomOf(1);
  for (let i = 0; i < 500; i++) {
    const metres = 10 ** (random() * 9 - 4) * (random() < 0.2 ? -1 : 1);
    const back = typedQuantity(shownLength(metres), 1);
    expect(Math.abs(back - metres)).toBeLessThanOrEqual(Math.abs(metres) * 0.051);
  }
});

it("never shows nothing for something", () => {
  expect(fitted(0, 2)).toBe("0.00");
  expect(fitted(0.0004, 2)).toBe("0.0004");
  expect(fitted(-0.0012345, 2)).toBe("-0.0012");
  expect(fitted(12.345, 0)).toBe("12");
  expect(shownSize([10.06, 4.5, 0.5])).toBe("10.1 × 4.50 × 0.50 m");
  expect([0.004, 12.34, 250, 25_000, 3.2e6].map(shownArea)).toEqual([
    "40.0 cm²",
    "12.3 m²",
    "250 m²",
    "2.5 ha",
    "3.20 km²",
  ]);
});
