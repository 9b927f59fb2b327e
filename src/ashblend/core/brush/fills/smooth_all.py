"""Even the whole channel out."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.brush.diffuse import Diffusion
from ashblend.core.brush.fills.protocol import FillSettings, FillView, Unit, Wanted


class SmoothAllFill(FillSettings):
    """metres: standard deviation of the blur along the surface. amount: how much of it."""

    act: Literal["smooth"] = "smooth"
    metres: Annotated[FiniteFloat, Field(gt=0, le=1e4)] = 0.1
    amount: Unit = 1.0

    def wanted(self, view: FillView) -> Wanted:
        weld = view.sites.weld
        points = np.arange(weld.point_count, dtype=np.int32)
        mean = np.add.reduceat(view.values[weld.sites], weld.offsets[:-1]) / np.diff(weld.offsets)
        smooth = Diffusion(view.sites.point_positions, view.sites.fans).smoothed(
            points, mean, self.metres, lambda outside: mean[outside]
        )
        return Wanted(smooth[weld.point_of_site], self.amount)

    def label(self, name: str) -> str:
        return f"Smooth {name}"
