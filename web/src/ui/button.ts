/** Looks of plain buttons, for class attributes. */
const BASE =
  "inline-flex h-8 items-center justify-center gap-1.5 rounded-md px-3 text-sm whitespace-nowrap disabled:opacity-45";

export const PLAIN = `${BASE} bg-raised hover:bg-strong text-ink`;
export const MAIN = `${BASE} bg-accent text-on-accent font-semibold hover:brightness-110`;
export const QUIET = `${BASE} text-soft hover:text-ink hover:bg-raised`;
