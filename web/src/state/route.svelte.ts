/** Two kinds of page: "/" and "/surface/ID". */

class Route {
  path = $state(location.pathname);

  constructor() {
    addEventListener("popstate", () => (this.path = location.pathname));
  }

  get surface(): string | null {
    return /^\/surface\/([0-9a-f-]{36})$/.exec(this.path)?.[1] ?? null;
  }

  go(path: string): void {
    history.pushState(null, "", path);
    this.path = path;
  }
}

export const route = new Route();
