import { beforeEach, describe, expect, it, vi } from "vitest";

const ID = "0f8fad5b-d9cb-469f-a165-70867728950e";

/** The page's address and its way back, without a browser. */
function browserAt(pathname: string) {
  const listeners: (() => void)[] = [];
  const location = { pathname };
  const past = [pathname];
  vi.stubGlobal("location", location);
  vi.stubGlobal("addEventListener", (_: string, listener: () => void) => listeners.push(listener));
  vi.stubGlobal("history", {
    pushState: (_: unknown, __: string, path: string) => {
      past.push(path);
      location.pathname = path;
    },
  });
  return {
    past,
    back: () => {
      past.pop();
      location.pathname = past.at(-1)!;
      for (const listener of listeners) listener();
    },
  };
}

describe("the route", () => {
  beforeEach(() => vi.resetModules());

  it.each([
    ["/", null, null],
    [`/surface/${ID}`, ID, null],
    [`/project/${ID}`, null, ID],
    [`/surface/${ID}/more`, null, null],
    ["/surface/nobody", null, null],
  ])("%s", async (path, surface, project) => {
    browserAt(path);
    const { route } = await import("../src/state/route.svelte");
    expect([route.surface, route.project]).toEqual([surface, project]);
  });

  it("goes and comes back, and goes nowhere where it is", async () => {
    const browser = browserAt("/");
    const { route } = await import("../src/state/route.svelte");
    route.go(`/surface/${ID}`);
    route.go(`/surface/${ID}`);
    expect(browser.past).toEqual(["/", `/surface/${ID}`]);
    expect(route.surface).toBe(ID);
    browser.back();
    expect(route.surface).toBeNull();
  });

  it("names the tab by the thing first", async () => {
    browserAt("/");
    vi.stubGlobal("document", { title: "" });
    const { route } = await import("../src/state/route.svelte");
    route.title("Slipway");
    expect(document.title).toBe("Slipway · Ash Blend");
    route.title(null);
    expect(document.title).toBe("Ash Blend");
  });
});
