"""One minus what is there."""

from typing import ClassVar, Literal

from ashblend.core.brush.fills.protocol import Extent, FillSettings, FillView, Wanted
from ashblend.core.setting import Setting, words


class InvertFill(FillSettings):
    title: ClassVar[str] = "Invert"
    about: ClassVar[str] = "One minus what is there"

    kind: Literal["invert"] = "invert"

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (words("One minus what is there."),)

    def wanted(self, view: FillView) -> Wanted:
        return Wanted(1 - view.values)

    def label(self, name: str) -> str:
        return f"Invert {name}"
