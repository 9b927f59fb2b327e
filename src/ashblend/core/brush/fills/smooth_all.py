"""Even the whole channel out."""

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Unit, Wanted


class SmoothAllFill(FillSettings):
    """metres: standard deviation of the blur along the surface. amount: how much of it."""

    kind: Literal["smooth"] = "smooth"
    metres: Annotated[FiniteFloat, Field(gt=0, le=1e4)] = 0.1
    amount: Unit = 1.0

    def wanted(self, view: FillView) -> Wanted:
        return Wanted(view.whole.evened(self.metres)[view.window.sites], self.amount)

    def label(self, name: str) -> str:
        return f"Smooth {name}"
