/** The keyboard: one list that acts, that tooltips name, and that the help shows. */

import { LENSES, type Studio } from "./studio.svelte";

export interface Key {
  /** As shown: "Ctrl+Z". */
  name: string;
  about: string;
  act: (studio: Studio) => void;
}

export const KEYS: Key[] = [
  { name: "Ctrl+Z", about: "Undo", act: (s) => s.undo() },
  { name: "Ctrl+Shift+Z", about: "Redo", act: (s) => s.redo() },
  ...[0, 1, 2, 3].map((i) => ({
    name: `${i + 1}`,
    about: `Choose channel ${"RGBA"[i]}`,
    act: (s: Studio) => s.chooseChannel(i),
  })),
  { name: "E", about: "Change between Paint and Erase", act: (s) => s.brush.flipAct() },
  { name: ".", about: "Larger radius", act: (s) => s.brush.scaleRadius(1.12) },
  { name: ",", about: "Smaller radius", act: (s) => s.brush.scaleRadius(1 / 1.12) },
  { name: "Shift+.", about: "More strength", act: (s) => s.brush.addStrength(0.05) },
  { name: "Shift+,", about: "Less strength", act: (s) => s.brush.addStrength(-0.05) },
  {
    name: "L",
    about: "Lock or unlock the channel",
    act: (s) => s.editChannel(s.activeChannel, { locked: !s.channel.locked }),
  },
  { name: "Shift+F", about: "Fill the channel with the target", act: (s) => s.fill("fill") },
  { name: "Shift+I", about: "Invert the channel", act: (s) => s.fill("invert") },
  ...LENSES.map((lens) => ({
    name: lens.key,
    about: `${lens.name} lens`,
    act: (s: Studio) => {
      s.lens = lens.value;
    },
  })),
  {
    name: "V",
    about: "Show or hide the open layer",
    act: (s) => {
      const layer = s.document.layers.find((l) => l.id === s.openLayer);
      if (layer) s.editLayer(layer.id, { visible: !layer.visible });
    },
  },
  { name: "Escape", about: "Take back the stroke being painted", act: (s) => s.abandonStroke() },
];

/** Keys that the viewport itself handles; listed for the help. */
export const VIEW_KEYS: { name: string; about: string }[] = [
  { name: "Right drag · Space+drag", about: "Turn the view" },
  { name: "Middle drag · Shift+right drag", about: "Shift the view" },
  { name: "Wheel · + −", about: "Nearer, farther" },
  { name: "Arrows", about: "Turn the view" },
  { name: "Home", about: "Show the whole surface" },
  { name: "K+drag", about: "Move the light" },
];

function nameOf(event: KeyboardEvent): string {
  const shifted: Record<string, string> = { ">": ".", "<": ",", ":": ".", ";": "," };
  let key = event.key.length === 1 ? event.key.toUpperCase() : event.key;
  if (event.shiftKey) key = shifted[key] ?? key;
  const parts = [];
  if (event.ctrlKey || event.metaKey) parts.push("Ctrl");
  if (event.shiftKey) parts.push("Shift");
  return [...parts, key].join("+");
}

/** True when the event was a known key and has been acted on. */
export function actOnKey(event: KeyboardEvent, studio: Studio): boolean {
  const target = event.target as HTMLElement;
  if (target.closest("input, textarea, select, [contenteditable]")) return false;
  // Sliders, lists and open menus keep their own arrows and letters.
  if (
    target.closest("[role=slider], [role=listbox], [role=menu]") &&
    /^(Arrow|Home|End|Page)/.test(event.key)
  )
    return false;
  const found = KEYS.find((key) => key.name === nameOf(event));
  if (!found) return false;
  event.preventDefault();
  found.act(studio);
  return true;
}

export const keyFor = (about: string): string | undefined => KEYS.find((key) => key.about === about)?.name;
