/** The keyboard: one list that acts, that tooltips name, and that the help shows. */

import { ALL_LENSES, lensFits } from "./lenses";
import type { Studio } from "./studio.svelte";

export interface Key {
  /** As shown: "Ctrl+Z". */
  name: string;
  about: string;
  run: (studio: Studio) => void;
}

export const KEYS: Key[] = [
  { name: "Ctrl+Z", about: "Undo", run: (s) => s.undo() },
  { name: "Ctrl+Shift+Z", about: "Redo", run: (s) => s.redo() },
  ...[0, 1, 2, 3].map((i) => ({
    name: `${i + 1}`,
    about: `Choose channel ${"RGBA"[i]}`,
    run: (s: Studio) => s.chooseChannel(i),
  })),
  { name: "E", about: "Erase, and back to what was before", run: (s) => s.brush.flipAct() },
  { name: "A", about: "Add", run: (s) => s.brush.set("act", "add") },
  { name: "Shift+A", about: "Subtract", run: (s) => s.brush.set("act", "subtract") },
  { name: "M", about: "Smooth", run: (s) => s.brush.set("act", "smooth") },
  { name: "Shift+M", about: "Sharpen", run: (s) => s.brush.set("act", "sharpen") },
  { name: "R", about: "Smear", run: (s) => s.brush.set("act", "smear") },
  { name: "N", about: "Spread the value where the stroke begins", run: (s) => s.brush.set("act", "sampled") },
  {
    name: "I",
    about: "Take the weight under the pointer as the target",
    run: (s) => {
      const value = s.probing.sample?.values[s.selection.set.id]?.[s.selection.activeChannel];
      if (value !== undefined) s.brush.set("target", Math.round(value * 1000) / 1000);
    },
  },
  {
    name: "T",
    about: "Next tool: brush, faces or path, gradient",
    run: (s) => {
      const tools = ["brush", s.surface.facts["terrain"] ? "path" : "faces", "gradient"] as const;
      s.selection.tool = tools[(tools.indexOf(s.selection.tool as "brush") + 1) % tools.length]!;
    },
  },
  {
    name: "P",
    about: "Prepare",
    run: (s) => {
      s.selection.side = s.selection.side === "prepare" ? "blend" : "prepare";
    },
  },
  {
    name: "U",
    about: "Undercoat of the channel",
    run: (s) => {
      s.selection.side = s.selection.side === "undercoat" ? "blend" : "undercoat";
    },
  },
  {
    name: "F",
    about: "Paint: acts on a whole channel",
    run: (s) => {
      s.selection.side = s.selection.side === "fills" ? "blend" : "fills";
    },
  },
  {
    name: "H",
    about: "History",
    run: (s) => {
      s.selection.side = s.selection.side === "history" ? "blend" : "history";
    },
  },
  {
    name: "W",
    about: "Wipe between two lenses",
    run: (s) => s.selection.toggleWipe(),
  },
  {
    name: "J",
    about: "Next level of detail",
    run: (s) => {
      s.selection.level = (s.selection.level + 1) % (s.levels.length + 1);
    },
  },
  {
    name: "Shift+W",
    about: "Edges over any lens",
    run: (s) => (s.selection.aids = { ...s.selection.aids, wires: !s.selection.aids.wires }),
  },
  { name: "Z", about: "The chosen faces, or all, as large as they fit", run: (s) => s.eye.frameChosen() },
  { name: "Shift+P", about: "Save a picture", run: (s) => (s.selection.savingPicture = true) },
  { name: "Q", about: "Next kept light", run: (s) => s.lighting.next() },
  { name: ".", about: "Larger radius", run: (s) => s.brush.scaleRadius(1.12) },
  { name: ",", about: "Smaller radius", run: (s) => s.brush.scaleRadius(1 / 1.12) },
  { name: "Shift+.", about: "More strength", run: (s) => s.brush.addStrength(0.05) },
  { name: "Shift+,", about: "Less strength", run: (s) => s.brush.addStrength(-0.05) },
  {
    name: "L",
    about: "Lock or unlock the channel",
    run: (s) => s.documents.editChannel(s.selection.activeChannel, { locked: !s.selection.channel.locked }),
  },
  {
    name: "Shift+F",
    about: "Fill the channel with the target",
    run: (s) => s.painting.fill({ kind: "even", weight: s.brush.settings.target }),
  },
  { name: "Shift+I", about: "Invert the channel", run: (s) => s.painting.fill({ kind: "invert" }) },
  ...ALL_LENSES.flatMap(({ key, name, value }) =>
    key
      ? [
          {
            name: key,
            about: `${name} lens`,
            run: (s: Studio) => {
              if (lensFits(s, value)) s.selection.lens = value;
            },
          },
        ]
      : [],
  ),
  {
    name: "Shift+V",
    about: "Look at the open layer alone",
    run: (s) => {
      s.selection.solo =
        s.selection.solo === null && s.selection.openLayer !== "ground" ? s.selection.openLayer : null;
    },
  },
  {
    name: "V",
    about: "Show or hide the open layer",
    run: (s) => {
      const layer = s.documents.blend.layers.find((l) => l.id === s.selection.openLayer);
      if (layer) s.documents.editLayer(layer.id, { visible: !layer.visible });
    },
  },
  {
    name: "Enter",
    about: "Paint along the picked path, or end a picked line",
    run: (s) => {
      if (s.selection.line) s.selection.line = null;
      else s.painting.along();
    },
  },
  {
    name: "Backspace",
    about: "Take the last place off the path or the line",
    run: (s) => {
      if (s.selection.line) s.selection.pickLine(s.selection.line.places.slice(0, -1));
      else s.selection.path = s.selection.path.slice(0, -1);
    },
  },
  {
    name: "Escape",
    about: "Take back the stroke being painted, or leave the tool",
    run: (s) => {
      if (s.painting.active) s.painting.abandon();
      else if (s.selection.line) s.selection.line = null;
      else if (s.selection.path.length) s.selection.path = [];
      else s.selection.tool = "brush";
    },
  },
];

/** Keys that the viewport itself handles; listed for the help. */
export const VIEW_KEYS: { name: string; about: string }[] = [
  { name: "Right drag · Space+drag", about: "Turn the view" },
  { name: "Middle drag · Shift+right drag", about: "Shift the view" },
  { name: "Wheel · + −", about: "Nearer, farther" },
  { name: "Arrows", about: "Turn the view" },
  { name: "Home", about: "The first view, of the whole surface" },
  { name: "Shift+↓ → ↑", about: "From the front, the side, above" },
  { name: "0", about: "The whole surface, from where you look now" },
  { name: "K+drag", about: "Move the light" },
  { name: "D+drag", about: "Radius (across) and strength (up and down)" },
  { name: "X held", about: "Lower instead of raise: paint toward the opposite, subtract, sharpen" },
  { name: "Shift+click", about: "A straight line from the last stroke's end" },
  { name: "Esc", about: "Take back the stroke, leave the tool" },
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

/** Where keys are typed, and mean letters. */
export const TYPED = "input:not([type=checkbox], [type=radio]), textarea, select, [contenteditable]";

/** True when the event was a known key and has been acted on. */
export function actOnKey(event: KeyboardEvent, studio: Studio): boolean {
  const target = event.target as HTMLElement;
  if (target.closest(TYPED)) return false;
  // Sliders, lists and open menus keep their own arrows and letters.
  if (
    target.closest("[role=slider], [role=listbox], [role=menu]") &&
    /^(Arrow|Home|End|Page)/.test(event.key)
  )
    return false;
  const found = KEYS.find((key) => key.name === nameOf(event));
  if (!found) return false;
  event.preventDefault();
  found.run(studio);
  return true;
}

export const keyFor = (about: string): string | undefined => KEYS.find((key) => key.about === about)?.name;
