"""A band of heights, with soft edges."""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F64
from ashblend.core.brush.fills.protocol import WEIGHT, Extent, FillSettings, FillView, Metres, Unit, Wanted
from ashblend.core.noise import noise
from ashblend.core.ramp import ramp
from ashblend.core.setting import Setting, metres


class HeightFill(FillSettings):
    """low, high: metres. soft: over how many metres each edge fades. rough: how far noise moves the edges."""

    title: ClassVar[str] = "Height"
    about: ClassVar[str] = "A band of heights, with soft or rough edges"

    kind: Literal["height"] = "height"
    weight: Unit = 1.0
    low: Metres = 0.0
    high: Metres = 1.0
    soft: Annotated[FiniteFloat, Field(ge=0, le=1e5)] = 0.1
    rough: Annotated[FiniteFloat, Field(ge=0, le=1e5)] = 0.0
    rough_metres: Annotated[FiniteFloat, Field(gt=1e-3, le=1e5)] = 0.5

    @classmethod
    def first(cls, of: Extent) -> Self:
        return cls(
            low=of.bottom,
            high=of.bottom + of.height / 2,
            soft=of.height / 10,
            rough_metres=max(of.diagonal / 20, 0.0011),
        )

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        # On a level surface there is room for a band all the same.
        tall = max(of.height, 0.1)
        low, high = of.bottom - tall / 4, of.bottom + tall * 5 / 4
        return (
            WEIGHT,
            metres("low", "From", "Lower end of the band", low, high),
            metres("high", "To", "Upper end of the band", low, high),
            metres("soft", "Soft", "Over how many metres each end fades", 0, tall),
            metres("rough", "Rough", "How far noise moves the ends up and down", 0, max(tall / 2, 0.1)),
        )

    def at(self, positions: F64) -> F64:
        """How far inside the band places (n, 3) are, 0..1."""
        y = positions[:, 1].astype(np.float64)
        if self.rough > 0:
            y = y + self.rough * (2 * noise(positions, self.rough_metres).astype(np.float64) - 1)
        half = self.soft / 2
        return ramp(y, self.low - half, self.low + half) * (1 - ramp(y, self.high - half, self.high + half))

    def wanted(self, view: FillView) -> Wanted:
        return Wanted(self.weight, self.at(view.window.positions.astype(np.float64)))

    def label(self, name: str) -> str:
        return f"Fill {name} from {self.low:.2f} to {self.high:.2f} m"
