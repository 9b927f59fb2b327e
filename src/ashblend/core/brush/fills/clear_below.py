"""Nothing below a height: roots that must stay still."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Metres, Wanted
from ashblend.core.ramp import ramp


class ClearBelowFill(FillSettings):
    """height: metres. soft: over how many metres above it paint comes back."""

    kind: Literal["clear_below"] = "clear_below"
    height: Metres = 0.0
    soft: Annotated[FiniteFloat, Field(ge=0, le=1e5)] = 0.0

    def wanted(self, view: FillView) -> Wanted:
        y = view.window.positions[:, 1].astype(np.float64)
        return Wanted(view.values * ramp(y, self.height, self.height + self.soft))

    def label(self, name: str) -> str:
        return f"Clear {name} below {self.height:.2f} m"
