"""What is there, times a number: half the strength, or one and a half times."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Wanted


class ScaleFill(FillSettings):
    kind: Literal["scale"] = "scale"
    factor: Annotated[FiniteFloat, Field(ge=0, le=100)] = 0.5

    def wanted(self, view: FillView) -> Wanted:
        return Wanted(np.clip(view.values * self.factor, 0, 1))

    def label(self, name: str) -> str:
        return f"{name} × {self.factor:g}"
