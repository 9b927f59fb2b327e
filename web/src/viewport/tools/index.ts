/** The tools by name. */

import { ChooseTool } from "./choose";
import { FacesTool } from "./faces";
import { GradientTool } from "./gradient";
import { PaintTool } from "./paint";
import { SizeTool } from "./size";
import type { Bench, Tool } from "./tool";
import { ViewTool } from "./view";

export type Way = "brush" | "faces" | "gradient" | "choose" | "size" | "turn" | "shift" | "light";

export const toolsOf = (bench: Bench): Record<Way, Tool> => ({
  brush: new PaintTool(bench),
  faces: new FacesTool(bench),
  gradient: new GradientTool(bench),
  choose: new ChooseTool(bench),
  size: new SizeTool(bench),
  turn: new ViewTool(bench, "turn"),
  shift: new ViewTool(bench, "shift"),
  light: new ViewTool(bench, "light"),
});
