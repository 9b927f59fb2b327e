/** The tools by name. */

import { ChooseTool } from "./choose";
import { FacesTool } from "./faces";
import { GradientTool } from "./gradient";
import { LineTool } from "./line";
import { PaintTool } from "./paint";
import { PartsTool } from "./parts";
import { PathTool } from "./path";
import { SizeTool } from "./size";
import type { Bench, Tool } from "./tool";
import { ViewTool } from "./view";

export type Way =
  | "nothing"
  | "brush"
  | "faces"
  | "gradient"
  | "path"
  | "line"
  | "choose"
  | "parts"
  | "size"
  | "turn"
  | "shift"
  | "light";

/** A press that means nothing. */
const NOTHING: Tool = { begin: () => false, move: () => {}, end: () => {} };

export const toolsOf = (bench: Bench): Record<Way, Tool> => ({
  nothing: NOTHING,
  brush: new PaintTool(bench),
  faces: new FacesTool(bench),
  gradient: new GradientTool(bench),
  path: new PathTool(bench),
  line: new LineTool(bench),
  choose: new ChooseTool(bench),
  parts: new PartsTool(bench),
  size: new SizeTool(bench),
  turn: new ViewTool(bench, "turn"),
  shift: new ViewTool(bench, "shift"),
  light: new ViewTool(bench, "light"),
});
