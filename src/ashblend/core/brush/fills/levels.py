"""A curve over what is there."""

from typing import Literal

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Wanted
from ashblend.core.curve import STRAIGHT, Curve


class LevelsFill(FillSettings):
    kind: Literal["levels"] = "levels"
    curve: Curve = STRAIGHT

    def wanted(self, view: FillView) -> Wanted:
        return Wanted(self.curve.at(view.values))

    def label(self, name: str) -> str:
        return f"Levels of {name}"
