/** How wide the two columns are: dragged, and remembered; folded, nothing of them is left. */

const LEAST = 190;
const MOST = 520;

const first = (side: "left" | "right"): number => {
  const kept = Number(localStorage.getItem(`ash.column.${side}`));
  if (kept) return kept;
  const wide = innerWidth;
  return side === "left"
    ? Math.round(Math.min(248, Math.max(208, wide * 0.18)))
    : Math.round(Math.min(380, Math.max(292, wide * 0.268)));
};

class Columns {
  #widths = $state({ left: first("left"), right: first("right") });
  #folded = $state({ left: false, right: false });

  get left(): number {
    return this.#folded.left ? 0 : this.#widths.left;
  }

  get right(): number {
    return this.#folded.right ? 0 : this.#widths.right;
  }

  isFolded(side: "left" | "right"): boolean {
    return this.#folded[side];
  }

  fold(side: "left" | "right"): void {
    this.#folded[side] = !this.#folded[side];
  }

  drag(side: "left" | "right", width: number): void {
    this.#folded[side] = false;
    this.#widths[side] = Math.min(MOST, Math.max(LEAST, Math.round(width)));
    localStorage.setItem(`ash.column.${side}`, String(this.#widths[side]));
  }
}

export const columns = new Columns();
