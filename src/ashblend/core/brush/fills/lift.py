"""All hand paint off; the undercoat shows."""

from typing import Literal

from ashblend.core.brush.fills.protocol import FillSettings, FillView, Wanted


class LiftFill(FillSettings):
    kind: Literal["lift"] = "lift"

    def wanted(self, _: FillView) -> Wanted:
        return Wanted(None)

    def label(self, name: str) -> str:
        return f"Lift all paint off {name}"
