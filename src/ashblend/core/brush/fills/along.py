"""From one end of the thing to the other: along an axis or the UVs, for the whole or for each connected part."""

from typing import ClassVar, Literal

from pydantic import Field

from ashblend.core.brush.fills.protocol import AMOUNT, Extent, FillSettings, FillView, Unit, Wanted, Way
from ashblend.core.curve import STRAIGHT, Curve
from ashblend.core.setting import Setting, switch


class AlongFill(FillSettings):
    """way: an axis of the world, or U or V of the first UV set. each: from 0 to 1 on each connected part.

    curve: over that. turned: from 1 to 0.
    """

    title: ClassVar[str] = "Along"
    about: ClassVar[str] = "From one end to the other: of the whole, or of each part from root to tip"

    kind: Literal["along"] = "along"
    way: Way = "y"
    each: bool = True
    turned: bool = False
    curve: Curve = Field(default=STRAIGHT)
    amount: Unit = 1.0

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (
            Setting(
                key="way",
                title="Along",
                about="An axis, or a way over the first UV set",
                choices=("y", "x", "z", "u", "v"),
                names=("Up", "X", "Z", "U", "V"),
            ),
            switch("each", "For each connected part", "From 0 at each part's own root to 1 at its tip"),
            switch("turned", "The other way round", "From 1 to 0"),
            Setting(key="curve", title="Over the way", control="curve"),
            AMOUNT,
        )

    def wanted(self, view: FillView) -> Wanted:
        at = view.along(self.way, self.each)
        return Wanted(self.curve.at(1 - at if self.turned else at), self.amount)

    def label(self, name: str) -> str:
        return f"Fill {name} along {self.way.upper()}{' of each part' if self.each else ''}"
