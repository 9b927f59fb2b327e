/** Light or dark: as the system says until the artist chooses. */

const KEY = "ash.theme";

class Theme {
  name = $state<"dark" | "light">("dark");

  constructor() {
    const kept = localStorage.getItem(KEY);
    const system = matchMedia("(prefers-color-scheme: light)").matches ? "light" : "dark";
    this.#show(kept === "light" || kept === "dark" ? kept : system);
  }

  #show(name: "dark" | "light"): void {
    this.name = name;
    document.documentElement.dataset["theme"] = name;
  }

  flip(): void {
    this.#show(this.name === "dark" ? "light" : "dark");
    localStorage.setItem(KEY, this.name);
  }
}

export const theme = new Theme();
