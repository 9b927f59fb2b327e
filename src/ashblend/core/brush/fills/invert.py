"""One minus what is there."""

from typing import Literal

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Wanted


class InvertFill(FillSettings):
    kind: Literal["invert"] = "invert"

    def wanted(self, view: FillView) -> Wanted:
        return Wanted(1 - view.values)

    def label(self, name: str) -> str:
        return f"Invert {name}"
