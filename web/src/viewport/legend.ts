/** What the colours of a value lens stand for, drawn into a picture. */

import { CIVIDIS_STOPS } from "./shading";

/** ends: what the dark and the light end stand for. */
export function drawLegend(canvas: HTMLCanvasElement, [low, high]: [string, string]): void {
  const c = canvas.getContext("2d")!;
  const unit = canvas.width / 64;
  c.font = `${0.75 * unit}px "Spline Sans Mono Variable", monospace`;
  c.textBaseline = "middle";
  const [left, right] = [low, high].map((text) => c.measureText(text).width) as [number, number];
  const [bar, pad, tall] = [9 * unit, 0.6 * unit, 1.6 * unit];
  const wide = left + bar + right + 4 * pad;
  const [x, y] = [unit, canvas.height - unit - tall];
  c.fillStyle = "rgb(25 24 23 / 0.85)";
  c.beginPath();
  c.roundRect(x, y, wide, tall, 0.3 * unit);
  c.fill();
  c.fillStyle = "#ece7df";
  c.fillText(low, x + pad, y + tall / 2);
  c.fillText(high, x + 3 * pad + left + bar, y + tall / 2);
  const shades = c.createLinearGradient(x + 2 * pad + left, 0, x + 2 * pad + left + bar, 0);
  CIVIDIS_STOPS.forEach((colour, i) => shades.addColorStop(i / (CIVIDIS_STOPS.length - 1), colour));
  c.fillStyle = shades;
  c.fillRect(x + 2 * pad + left, y + tall / 2 - 0.3 * unit, bar, 0.6 * unit);
}
