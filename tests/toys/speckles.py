"""A toy fill: full where a coordinate, in steps, is odd."""

from typing import ClassVar, Literal, Self

import numpy as np

from ashblend.core.brush.fills.protocol import Extent, FillSettings, FillView, Wanted
from ashblend.core.setting import Setting, size


class SpecklesFill(FillSettings):
    title: ClassVar[str] = "Speckles"
    about: ClassVar[str] = "Every other step of the way"

    kind: Literal["speckles"] = "speckles"
    metres: float = 0.1

    @classmethod
    def first(cls, of: Extent) -> Self:
        return cls(metres=of.diagonal / 10)

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (size("metres", "Step", "From one to the next", of.grain, of.diagonal),)

    def wanted(self, view: FillView) -> Wanted:
        return Wanted((np.floor(view.window.positions[:, 0] / self.metres) % 2).astype(np.float64))

    def label(self, name: str) -> str:
        return f"Speckles on {name}"
