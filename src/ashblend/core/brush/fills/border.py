"""Away from a border, by distance along the surface."""

from typing import Annotated, Literal

from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Unit, Wanted
from ashblend.core.ramp import ramp


class BorderFill(FillSettings):
    """group: whose border; None for open edges. width: metres over which the weight falls to nothing.

    keep: metres from the border that are full.
    """

    kind: Literal["border"] = "border"
    weight: Unit = 1.0
    group: str | None = None
    keep: Annotated[FiniteFloat, Field(ge=0, le=1e5)] = 0.0
    width: Annotated[FiniteFloat, Field(gt=0, le=1e5)] = 0.5

    def wanted(self, view: FillView) -> Wanted:
        farthest = self.keep + self.width
        distance = view.whole.from_border(self.group, farthest)[view.window.sites]
        return Wanted(self.weight, 1 - ramp(distance, self.keep, farthest))

    def label(self, name: str) -> str:
        return f"Fill {name} from the border of {self.group or 'open edges'}"
