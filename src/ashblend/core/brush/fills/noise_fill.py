"""Noise."""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import AMOUNT, Extent, FillSettings, FillView, Unit, Wanted
from ashblend.core.noise import noise
from ashblend.core.ramp import ramp
from ashblend.core.setting import Setting, share, size


class NoiseFill(FillSettings):
    """metres: size of its features. low, high: noise values that become 0 and 1. amount: how much of it."""

    title: ClassVar[str] = "Noise"
    about: ClassVar[str] = "Clouds that lie on the surface"

    kind: Literal["noise"] = "noise"
    metres: Annotated[FiniteFloat, Field(gt=1e-3, le=1e5)] = 0.5
    seed: Annotated[int, Field(ge=0, le=2**31)] = 0
    low: Unit = 0.35
    high: Unit = 0.65
    amount: Unit = 1.0

    @classmethod
    def first(cls, of: Extent) -> Self:
        return cls(metres=max(of.diagonal / 20, 0.0011))

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (
            size(
                "metres",
                "Size",
                "Size of its features",
                max(of.diagonal / 2000, 0.0011),
                max(of.diagonal, 0.01),
            ),
            share("low", "Empty below", "Noise values below this become 0"),
            share("high", "Full above", "Noise values above this become 1"),
            AMOUNT,
            Setting(key="seed", title="Another pattern", control="another", high=1000),
        )

    def wanted(self, view: FillView) -> Wanted:
        grain = noise(view.window.positions, self.metres, self.seed).astype(np.float64)
        return Wanted(ramp(grain, self.low, self.high), self.amount)

    def label(self, name: str) -> str:
        return f"Noise on {name}"
