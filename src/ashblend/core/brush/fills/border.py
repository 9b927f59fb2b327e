"""Away from a border, by distance along the surface."""

from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import WEIGHT, Extent, FillSettings, FillView, Unit, Wanted
from ashblend.core.ramp import ramp
from ashblend.core.setting import Setting, metres, size


class BorderFill(FillSettings):
    """group: whose border; None for open edges. width: metres over which the weight falls to nothing.

    keep: metres from the border that are full.
    """

    title: ClassVar[str] = "Border"
    about: ClassVar[str] = "Away from a group's border or open edges, along the surface"

    kind: Literal["border"] = "border"
    weight: Unit = 1.0
    group: str | None = None
    keep: Annotated[FiniteFloat, Field(ge=0, le=1e5)] = 0.0
    width: Annotated[FiniteFloat, Field(gt=0, le=1e5)] = 0.5

    @classmethod
    def first(cls, of: Extent) -> Self:
        return cls(width=max(of.diagonal / 20, 1e-6))

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (
            WEIGHT,
            Setting(
                key="group",
                title="Border of",
                about="Which border distances are measured from",
                pick="border",
            ),
            metres("keep", "Full for", "Metres from the border that are full", 0, of.diagonal / 4),
            size(
                "width",
                "Fades over",
                "Metres over which the weight then falls to nothing",
                of.diagonal / 2000,
                of.diagonal / 2,
            ),
        )

    def wanted(self, view: FillView) -> Wanted:
        farthest = self.keep + self.width
        distance = view.whole.from_border(self.group, farthest)[view.window.sites]
        return Wanted(self.weight, 1 - ramp(distance, self.keep, farthest))

    def label(self, name: str) -> str:
        return f"Fill {name} from the border of {self.group or 'open edges'}"
