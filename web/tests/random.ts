/** Numbers by chance that are the same at every run: a linear congruence (constants from Press et al. 1992, section 7.1). */
export function randomOf(seed: number): () => number {
  // Seeds next to each other begin far apart (Knuth 1998, section 6.4).
  let state = Math.imul(seed + 1, 2654435761) >>> 0;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
}

export const whole = (random: () => number, below: number): number => Math.floor(random() * below);
