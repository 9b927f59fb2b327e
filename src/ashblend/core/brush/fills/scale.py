"""What is there, times a number: half the strength, or one and a half times."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import Extent, FillSettings, FillView, Wanted
from ashblend.core.setting import Setting, words


class ScaleFill(FillSettings):
    title: ClassVar[str] = "Multiply"
    about: ClassVar[str] = "What is there, times a number"

    kind: Literal["scale"] = "scale"
    factor: Annotated[FiniteFloat, Field(ge=0, le=100)] = 0.5

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (
            Setting(
                key="factor",
                title="Times",
                about="Half is 0.5; above 1 it grows, up to full",
                high=4,
                step=0.05,
            ),
            words("For some parts alone, pick them below."),
        )

    def wanted(self, view: FillView) -> Wanted:
        return Wanted(np.clip(view.values * self.factor, 0, 1))

    def label(self, name: str) -> str:
        return f"{name} × {self.factor:g}"
