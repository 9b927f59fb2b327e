"""What faces a direction."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Unit, Wanted
from ashblend.core.ramp import ramp

Degrees = Annotated[FiniteFloat, Field(ge=0, le=180)]
Vector = tuple[FiniteFloat, FiniteFloat, FiniteFloat]


class FacingFill(FillSettings):
    """full, none: angle to the direction, in degrees, up to which it is full and from which nothing."""

    kind: Literal["facing"] = "facing"
    weight: Unit = 1.0
    direction: Vector = (0.0, 1.0, 0.0)
    full: Degrees = 20.0
    none: Degrees = 50.0

    def wanted(self, view: FillView) -> Wanted:
        direction = np.array(self.direction)
        length = np.sqrt(direction @ direction)
        towards = direction / length if length > 0 else np.array([0.0, 1.0, 0.0])
        cosine = view.window.normals.astype(np.float64) @ towards
        return Wanted(self.weight, ramp(cosine, np.cos(np.radians(self.none)), np.cos(np.radians(self.full))))

    def label(self, name: str) -> str:
        return f"Fill {name} by facing"
