"""Even the whole channel out."""

from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, FiniteFloat

from ashblend.core.brush.fills.protocol import AMOUNT, Extent, FillSettings, FillView, Unit, Wanted
from ashblend.core.setting import Setting, size


class SmoothAllFill(FillSettings):
    """metres: standard deviation of the blur along the surface. amount: how much of it."""

    title: ClassVar[str] = "Smooth all"
    about: ClassVar[str] = "Even the whole channel out"

    kind: Literal["smooth"] = "smooth"
    metres: Annotated[FiniteFloat, Field(gt=0, le=1e4)] = 0.1
    amount: Unit = 1.0

    @classmethod
    def first(cls, of: Extent) -> Self:
        # What is less than the sites lie apart changes nothing that is seen.
        return cls(metres=max(of.diagonal / 100, 2 * of.grain, 1e-6))

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (
            size(
                "metres",
                "Over",
                "How far it evens out along the surface; less than the sites lie apart is not seen",
                max(min(of.grain / 2, of.diagonal / 20), 1e-6),
                max(of.diagonal / 10, 8 * of.grain),
            ),
            AMOUNT,
        )

    def wanted(self, view: FillView) -> Wanted:
        return Wanted(view.whole.evened(self.metres)[view.window.sites], self.amount)

    def label(self, name: str) -> str:
        return f"Smooth {name}"
