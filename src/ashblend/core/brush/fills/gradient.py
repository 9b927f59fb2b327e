"""From one weight to another between two places."""

from typing import Literal, Self

import numpy as np
from pydantic import FiniteFloat

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Unit, Wanted

Vector = tuple[FiniteFloat, FiniteFloat, FiniteFloat]


class GradientFill(FillSettings):
    """begin, end: places in metres. Beyond them the weights go on level, or nothing is changed."""

    kind: Literal["gradient"] = "gradient"
    begin: Vector
    end: Vector
    begin_weight: Unit = 0.0
    end_weight: Unit = 1.0
    beyond: bool = True

    def wanted(self, view: FillView) -> Wanted:
        a, b = np.array(self.begin), np.array(self.end)
        along = b - a
        length = along @ along
        if length <= 0:
            return Wanted(self.end_weight, 1.0 if self.beyond else 0.0)
        t = (view.window.positions.astype(np.float64) - a) @ along / length
        inside = (t >= 0) & (t <= 1) | self.beyond
        t = np.clip(t, 0, 1)
        return Wanted(self.begin_weight + t * (self.end_weight - self.begin_weight), inside.astype(float))

    def flipped(self) -> Self:
        ends = {"begin_weight": 1 - self.begin_weight, "end_weight": 1 - self.end_weight}
        return self.model_copy(update=ends)

    def label(self, name: str) -> str:
        return f"Gradient on {name}"
