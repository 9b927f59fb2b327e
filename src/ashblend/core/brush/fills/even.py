"""One weight everywhere."""

from typing import ClassVar, Literal, Self

from ashblend.core.brush.fills.protocol import WEIGHT, Extent, FillSettings, FillView, Unit, Wanted
from ashblend.core.setting import Setting


class EvenFill(FillSettings):
    title: ClassVar[str] = "Even"
    about: ClassVar[str] = "One weight everywhere"

    kind: Literal["even"] = "even"
    weight: Unit = 1.0

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (WEIGHT,)

    def wanted(self, _: FillView) -> Wanted:
        return Wanted(self.weight)

    def flipped(self) -> Self:
        return self.model_copy(update={"weight": 1 - self.weight})

    def label(self, name: str) -> str:
        return f"Fill {name} with {self.weight:.2f}"
