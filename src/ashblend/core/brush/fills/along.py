"""From one end of the thing to the other: along an axis or the UVs, for the whole or for each connected part."""

from typing import Literal

from pydantic import Field

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Unit, Wanted, Way
from ashblend.core.curve import STRAIGHT, Curve


class AlongFill(FillSettings):
    """way: an axis of the world, or U or V of the first UV set. each: from 0 to 1 on each connected part.

    curve: over that. turned: from 1 to 0.
    """

    kind: Literal["along"] = "along"
    way: Way = "y"
    each: bool = True
    turned: bool = False
    curve: Curve = Field(default=STRAIGHT)
    amount: Unit = 1.0

    def wanted(self, view: FillView) -> Wanted:
        at = view.along(self.way, self.each)
        return Wanted(self.curve.at(1 - at if self.turned else at), self.amount)

    def label(self, name: str) -> str:
        return f"Fill {name} along {self.way.upper()}{' of each part' if self.each else ''}"
