"""All hand paint off; the undercoat shows."""

from typing import ClassVar, Literal

from ashblend.core.brush.fills.protocol import Extent, FillSettings, FillView, Wanted
from ashblend.core.setting import Setting, words


class LiftFill(FillSettings):
    title: ClassVar[str] = "Lift paint"
    about: ClassVar[str] = "All hand paint off"

    fills: ClassVar[frozenset[str]] = frozenset()

    kind: Literal["lift"] = "lift"

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (words("All hand paint off."),)

    def wanted(self, _: FillView) -> Wanted:
        return Wanted(None)

    def label(self, name: str) -> str:
        return f"Lift all paint off {name}"
