/** Writes a document that carries a revision: the newest wish only, one request at a time. */

import { Failure } from "./server";
import { tellError } from "./told";

const PAUSE = 120;

export class DocumentWriter<Document, View extends { revision: number }> {
  #wish = $state.raw<Document | null>(null);
  #timer: ReturnType<typeof setTimeout> | undefined;
  #busy = $state(false);

  constructor(
    public revision: number,
    private readonly put: (revision: number, document: Document) => Promise<View>,
    /** The server has taken a document; newer wishes may be waiting. */
    private readonly onWritten: (view: View, waiting: boolean) => void,
    /** Somebody else was faster, or it was refused: what is kept must be loaded again. */
    private readonly onRefused: () => void,
  ) {}

  /** True while something is not with the server yet. */
  get pending(): boolean {
    return this.#busy || this.#wish !== null;
  }

  /** Whether what was loaded is news: nothing was written while it was on its way. */
  wants(view: View): boolean {
    return !this.pending && view.revision >= this.revision;
  }

  write(document: Document, now = false): void {
    this.#wish = document;
    clearTimeout(this.#timer);
    if (now) void this.#flush();
    else this.#timer = setTimeout(() => void this.#flush(), PAUSE);
  }

  async #flush(): Promise<void> {
    if (this.#busy || this.#wish === null) return;
    const document = this.#wish;
    this.#wish = null;
    this.#busy = true;
    try {
      const view = await this.put(this.revision, document);
      this.revision = view.revision;
      this.#busy = false;
      this.onWritten(view, this.#wish !== null);
      void this.#flush();
    } catch (error) {
      this.#busy = false;
      if (error instanceof Failure && error.status === 0 && this.#wish === null) {
        // No answer at all: keep the wish and try again later.
        this.#wish = document;
        this.#timer = setTimeout(() => void this.#flush(), 2000);
        return;
      }
      this.#wish = null;
      tellError(error);
      this.onRefused();
    }
  }
}
