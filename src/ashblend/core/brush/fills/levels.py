"""A curve over what is there."""

from typing import ClassVar, Literal

from ashblend.core.brush.fills.protocol import Extent, FillSettings, FillView, Wanted
from ashblend.core.curve import STRAIGHT, Curve
from ashblend.core.setting import Setting, words


class LevelsFill(FillSettings):
    title: ClassVar[str] = "Levels"
    about: ClassVar[str] = "A curve over what is there"

    kind: Literal["levels"] = "levels"
    curve: Curve = STRAIGHT

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (
            Setting(key="curve", title="Levels", control="curve"),
            words("Across: what is there. Up: what it becomes. Click the line for a point."),
        )

    def wanted(self, view: FillView) -> Wanted:
        return Wanted(self.curve.at(view.values))

    def label(self, name: str) -> str:
        return f"Levels of {name}"
