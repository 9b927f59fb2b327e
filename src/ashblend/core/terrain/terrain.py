"""A terrain as it came in: heights that do not change. What hands do to them is paint; see `HeightField`."""

from dataclasses import dataclass

import numpy as np

from ashblend.core.arrays import F32

# Painted heights keep so much room below and above those that came in, as a share of their range and in spacings.
HEADROOM = 0.25
LEAST_ROOM = 8.0


@dataclass(frozen=True, eq=False)
class Terrain:
    """heights: (rows, cols) metres at grid corners, row 0 to the north (−Z). spacing: metres between neighbours.

    low, high: metres between which heights can be painted, in 65 535 steps.
    """

    heights: F32
    spacing: float
    low: float
    high: float

    @property
    def rows(self) -> int:
        return int(self.heights.shape[0])

    @property
    def cols(self) -> int:
        return int(self.heights.shape[1])

    @property
    def width(self) -> float:
        """Metres along X from the first column to the last."""
        return (self.cols - 1) * self.spacing

    @property
    def depth(self) -> float:
        """Metres along Z from the first row to the last."""
        return (self.rows - 1) * self.spacing


def terrain_of(heights: F32, spacing: float) -> Terrain:
    """A terrain with room for painting below and above what is there.

    heights: (rows, cols) finite, at least 2 × 2. Raises ValueError for others.
    """
    if heights.ndim != 2 or min(heights.shape) < 2:
        raise ValueError("a terrain has two rows and two columns at least")
    low, high = float(heights.min()), float(heights.max())
    if not np.isfinite([low, high]).all():
        raise ValueError("heights must be finite")
    room = max(HEADROOM * (high - low), LEAST_ROOM * spacing)
    kept = np.ascontiguousarray(heights, np.float32)
    kept.setflags(write=False)
    return Terrain(kept, float(spacing), low - room, high + room)
