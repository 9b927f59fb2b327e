"""A curve drawn by hand through a few points: falloff, pen response, levels.

Between the points it is a monotone cubic (Fritsch and Carlson 1980, SIAM J. Numer. Anal. 17),
so that it never swings past the points that were set.
"""

import itertools
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, field_validator

from ashblend.core.arrays import F64

Unit = Annotated[FiniteFloat, Field(ge=0, le=1)]


class Curve(BaseModel):
    """points: (x, y) pairs in 0..1, x ascending. Left of the first and right of the last it is level."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    points: Annotated[tuple[tuple[Unit, Unit], ...], Field(min_length=2, max_length=16)]

    @field_validator("points")
    @classmethod
    def _ascending(cls, points: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
        if any(b[0] - a[0] < 1e-4 for a, b in itertools.pairwise(points)):
            raise ValueError("the points of a curve must lie apart, from left to right")
        return points

    def knots(self) -> F64:
        """(points, 3) place, height and slope: what the cubic between each two of them follows from."""
        from scipy.interpolate import PchipInterpolator

        known, heights = np.array(self.points).T
        return np.stack([known, heights, PchipInterpolator(known, heights).derivative()(known)], axis=1)

    def at(self, x: F64) -> F64:
        """The curve's height at x, any shape."""
        # Late: scipy takes a third of a second to load and most strokes need no curve.
        from scipy.interpolate import PchipInterpolator

        known, heights = np.array(self.points).T
        return np.clip(PchipInterpolator(known, heights)(np.clip(x, known[0], known[-1])), 0, 1)


STRAIGHT = Curve(points=((0.0, 0.0), (1.0, 1.0)))
