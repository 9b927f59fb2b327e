/** Numbers as people read and type them: fitting units, small sums, never a zero for what is not zero. */

/** How much of a field's own value one of a unit is: metres, degrees, shares of one. */
const UNITS: Record<string, number> = {
  mm: 0.001, cm: 0.01, m: 1, km: 1000, in: 0.0254, ft: 0.3048, "°": 1, deg: 1, "%": 0.01,
}; // prettier-ignore

export interface Unit {
  name: string;
  /** What a value is multiplied by to be shown. */
  shown: number;
  digits: number;
}

/** The unit that a length in metres reads best in. */
export function lengthUnit(metres: number): Unit {
  const size = Math.abs(metres);
  if (size >= 1000) return { name: "km", shown: 0.001, digits: 2 };
  if (size >= 1 || size === 0) return { name: "m", shown: 1, digits: 2 };
  if (size >= 0.01) return { name: "cm", shown: 100, digits: size < 0.1 ? 2 : 1 };
  return { name: "mm", shown: 1000, digits: 2 };
}

/** So many digits behind the point, or more where less than two that count would be left. */
export function fitted(value: number, digits: number): string {
  const text = value.toFixed(digits);
  const counting = text.replace(/[-.]/g, "").replace(/^0+/, "").length;
  if (value === 0 || counting >= Math.min(2, digits + 1)) return text;
  return Number(value.toPrecision(2)).toString();
}

/** The power of ten, in metres, that is nearest to a length. */
export const evenLength = (metres: number): number => 10 ** Math.round(Math.log10(Math.max(metres, 1e-6)));

export function shownLength(metres: number): string {
  const { name, shown, digits } = lengthUnit(metres);
  return `${fitted(metres * shown, digits)} ${name}`;
}

export function shownSize(size: number[]): string {
  const { name, shown } = lengthUnit(Math.max(...size));
  return `${size.map((s) => fitted(s * shown, s * shown < 10 ? 2 : 1)).join(" × ")} ${name}`;
}

/** A number on its way through a sum: whether it has been given a unit. */
interface Part {
  value: number;
  measured: boolean;
}

/**
 * What was typed: a number, a number with a unit, or a small sum of such: "5 cm", "1.2m + 30", "3*0.4", "1/8".
 * A number without a unit is in the one that the field shows. NaN for what is none of these.
 */
export function typedQuantity(text: string, shown: number): number {
  const tokens =
    text
      .trim()
      .replaceAll(",", ".")
      .replaceAll("−", "-")
      .match(/\d+\.?\d*(?:e[-+]?\d+)?|\.\d+|[a-zµ°%]+|[-+*/()]|\S/gi) ?? [];
  let at = 0;
  const own = (part: Part): Part => (part.measured ? part : { value: part.value / shown, measured: true });

  function factor(): Part {
    const token = tokens[at++];
    if (token === "-") {
      const part = factor();
      return { ...part, value: -part.value };
    }
    if (token === "+") return factor();
    if (token === "(") {
      const inner = sum();
      return tokens[at++] === ")" ? inner : { value: NaN, measured: false };
    }
    const value = Number(token);
    const unit = UNITS[(tokens[at] ?? "").toLowerCase()];
    if (token === undefined || Number.isNaN(value)) return { value: NaN, measured: false };
    if (unit === undefined) return { value, measured: false };
    at++;
    return { value: value * unit, measured: true };
  }
  function product(): Part {
    let left = factor();
    while (tokens[at] === "*" || tokens[at] === "/") {
      const times = tokens[at++] === "*";
      const right = factor();
      left = {
        value: times ? left.value * right.value : left.value / right.value,
        measured: left.measured || right.measured,
      };
    }
    return left;
  }
  function sum(): Part {
    let left = product();
    while (tokens[at] === "+" || tokens[at] === "-") {
      const plus = tokens[at++] === "+";
      let right = product();
      if (left.measured !== right.measured) [left, right] = [own(left), own(right)];
      left = { value: plus ? left.value + right.value : left.value - right.value, measured: left.measured };
    }
    return left;
  }

  const found = own(sum());
  return at === tokens.length && Number.isFinite(found.value) ? found.value : NaN;
}

/** An area in the unit that fits it. */
export function shownArea(squareMetres: number): string {
  if (squareMetres < 0.01) return `${(squareMetres * 1e4).toFixed(1)} cm²`;
  if (squareMetres < 1e4) return `${squareMetres.toFixed(squareMetres < 100 ? 1 : 0)} m²`;
  if (squareMetres < 1e6) return `${(squareMetres / 1e4).toFixed(1)} ha`;
  return `${(squareMetres / 1e6).toFixed(2)} km²`;
}
