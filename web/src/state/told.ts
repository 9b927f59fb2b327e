import { toast } from "svelte-sonner";

import { Failure } from "./server";
import type { Told } from "./types";

/** Show what went wrong and what to do. */
export function tell(what: Told): void {
  toast.error(what.problem, { description: what.remedy, duration: 8000 });
}

/** Say what is good to know about something that was done. */
export function note(what: string): void {
  toast.message(what, { duration: 12_000 });
}

export function tellError(error: unknown): void {
  if (error instanceof Failure) tell(error);
  else {
    console.error(error);
    tell({ problem: "Something unexpected went wrong here.", remedy: "Load the page again." });
  }
}
