/** Where a direction of the picture leads, as measures know it. */

import { answer, server } from "./server";
import type { Bearing } from "./types";

export const bearingOf = ([x, y, z]: [number, number, number]): Promise<Bearing> =>
  answer<Bearing>(server.GET("/api/bearing", { params: { query: { x, y, z } } }));
