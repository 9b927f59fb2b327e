"""Noise."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Unit, Wanted
from ashblend.core.noise import noise
from ashblend.core.ramp import ramp


class NoiseFill(FillSettings):
    """metres: size of its features. low, high: noise values that become 0 and 1. amount: how much of it."""

    kind: Literal["noise"] = "noise"
    metres: Annotated[FiniteFloat, Field(gt=1e-3, le=1e5)] = 0.5
    seed: Annotated[int, Field(ge=0, le=2**31)] = 0
    low: Unit = 0.35
    high: Unit = 0.65
    amount: Unit = 1.0

    def wanted(self, view: FillView) -> Wanted:
        grain = noise(view.window.positions, self.metres, self.seed).astype(np.float64)
        return Wanted(ramp(grain, self.low, self.high), self.amount)

    def label(self, name: str) -> str:
        return f"Noise on {name}"
