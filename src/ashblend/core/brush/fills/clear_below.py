"""Nothing below a height: roots that must stay still."""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import Extent, FillSettings, FillView, Metres, Wanted
from ashblend.core.ramp import ramp
from ashblend.core.setting import Setting, metres


class ClearBelowFill(FillSettings):
    """height: metres. soft: over how many metres above it paint comes back."""

    title: ClassVar[str] = "Clear below"
    about: ClassVar[str] = "Nothing below a height: roots that must stay still"

    kind: Literal["clear_below"] = "clear_below"
    height: Metres = 0.0
    soft: Annotated[FiniteFloat, Field(ge=0, le=1e5)] = 0.0

    @classmethod
    def first(cls, of: Extent) -> Self:
        return cls(height=of.bottom, soft=of.height / 10)

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (
            metres("height", "Height", "Nothing below this", of.bottom, of.bottom + max(of.height, 0.1)),
            metres("soft", "Soft", "Over how many metres paint comes back above it", 0, max(of.height, 0.1)),
        )

    def wanted(self, view: FillView) -> Wanted:
        y = view.window.positions[:, 1].astype(np.float64)
        return Wanted(view.values * ramp(y, self.height, self.height + self.soft))

    def label(self, name: str) -> str:
        return f"Clear {name} below {self.height:.2f} m"
