"""One weight everywhere."""

from typing import Literal, Self

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Unit, Wanted


class EvenFill(FillSettings):
    kind: Literal["even"] = "even"
    weight: Unit = 1.0

    def wanted(self, _: FillView) -> Wanted:
        return Wanted(self.weight)

    def flipped(self) -> Self:
        return self.model_copy(update={"weight": 1 - self.weight})

    def label(self, name: str) -> str:
        return f"Fill {name} with {self.weight:.2f}"
