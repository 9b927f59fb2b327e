/** One tooltip for the whole page: dozens of controls tell it what to say, instead of bringing one each. */

import { Tooltip } from "bits-ui";

export type Side = "top" | "right" | "bottom" | "left";

export interface Said {
  text: string;
  key?: string | undefined;
  side: Side;
}

export const tips = Tooltip.createTether<Said>();
