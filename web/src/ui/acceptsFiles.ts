/** For a file chooser: which files it offers, by what the server says can be brought. */

import type { Endings } from "../state/types";
import { endings } from "../state/intake";

export function acceptsFiles(node: HTMLInputElement, kinds: Exclude<keyof Endings, "writings">[]): void {
  // Without an answer it offers everything, and what is no good is told when it was sent.
  void endings().then(
    (known) => (node.accept = kinds.flatMap((kind) => known[kind]).join(",")),
    () => {},
  );
}
