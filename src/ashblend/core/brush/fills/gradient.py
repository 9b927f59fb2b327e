"""From one weight to another between two places."""

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import FiniteFloat

from ashblend.core.brush.fills.protocol import Extent, FillSettings, FillView, Unit, Wanted
from ashblend.core.setting import Setting, share, words

Vector = tuple[FiniteFloat, FiniteFloat, FiniteFloat]


def _along(of: Extent, axis: int) -> dict[str, Vector]:
    """From the low end of a surface to the high one."""
    end = list(of.low)
    end[axis] += of.size[axis]
    x, y, z = end
    return {"begin": of.low, "end": (x, y, z)}


class GradientFill(FillSettings):
    """begin, end: places in metres. Beyond them the weights go on level, or nothing is changed."""

    title: ClassVar[str] = "Axis gradient"
    about: ClassVar[str] = "From one weight to another along an axis"

    kind: Literal["gradient"] = "gradient"
    begin: Vector
    end: Vector
    begin_weight: Unit = 0.0
    end_weight: Unit = 1.0
    beyond: bool = True

    @classmethod
    def first(cls, of: Extent) -> Self:
        return cls(**_along(of, 1))

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (
            Setting(
                title="Axis",
                about="Along it, from the low end to the high one",
                choices=("X", "Y", "Z"),
                puts={name: _along(of, axis) for axis, name in enumerate("XYZ")},
            ),
            share("begin_weight", "Begins with", "Weight at the low end"),
            share("end_weight", "Ends with", "Weight at the high end"),
            words("For two places of your own take the Gradient tool on the left."),
        )

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
