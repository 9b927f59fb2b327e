"""Heights as they are now: what came in, and what was painted over it.

Painted heights are a channel like any other, whose undercoat is what came in, so that one brush, one undo and one
history serve both. A channel holds 65 536 steps between two heights; what came in is finer, so the difference in steps
is added to it, and what nobody painted stays what it was to the bit.
"""

import numpy as np

from ashblend.core.arrays import F32, F64, I64, U16
from ashblend.core.channels.quantise import FULL
from ashblend.core.terrain.terrain import Terrain


class HeightField:
    """heights: (rows, cols) metres, as they are now; written in place by `take`."""

    def __init__(self, terrain: Terrain) -> None:
        self.terrain = terrain
        self.heights: F32 = terrain.heights

    @property
    def step(self) -> float:
        """Metres between two values of a painted height."""
        return (self.terrain.high - self.terrain.low) / FULL

    def steps_of(self, heights: F32 | F64) -> U16:
        """The values nearest to heights in metres."""
        steps = np.rint((heights - np.float64(self.terrain.low)) / self.step)
        return np.clip(steps, 0, FULL).astype(np.uint16)

    def metres_of(self, weight: float) -> float:
        """The height that a weight 0..1 of the channel stands for."""
        return self.terrain.low + weight * (self.terrain.high - self.terrain.low)

    def take(self, rows: I64, cols: I64, values: U16) -> bool:
        """Make heights at corners (k,) what the channel holds there; whether any moved."""
        terrain = self.terrain
        base = terrain.heights[rows, cols]
        by = (values.astype(np.int32) - self.steps_of(base).astype(np.int32)) * self.step
        wanted = np.where(by == 0, base, (base + by).astype(np.float32))
        if np.array_equal(self.heights[rows, cols], wanted):
            return False
        if self.heights is terrain.heights:
            self.heights = terrain.heights.copy()
        self.heights[rows, cols] = wanted
        return True
