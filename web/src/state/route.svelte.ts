/** Pages by address: "/", "/project/ID" and "/surface/ID". Going back and forth is the browser's. */

const IDENT = "([0-9a-f-]{36})";

class Route {
  path = $state(location.pathname);

  constructor() {
    addEventListener("popstate", () => (this.path = location.pathname));
  }

  get surface(): string | null {
    return new RegExp(`^/surface/${IDENT}$`).exec(this.path)?.[1] ?? null;
  }

  get project(): string | null {
    return new RegExp(`^/project/${IDENT}$`).exec(this.path)?.[1] ?? null;
  }

  go(path: string): void {
    if (path === this.path) return;
    history.pushState(null, "", path);
    this.path = path;
  }

  /** What the tab is called: the thing first, so that it can be told from others. */
  title(name: string | null): void {
    document.title = name ? `${name} · Ash Blend` : "Ash Blend";
  }
}

export const route = new Route();
