"""Another channel, mixed in."""

from typing import ClassVar, Literal, get_args

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.brush.fills.protocol import Extent, FillSettings, FillView, Unit, Wanted
from ashblend.core.setting import Setting, share, switch

MixMode = Literal["replace", "multiply", "add", "subtract", "max", "min", "screen"]


def mixed(mode: MixMode, here: F64, other: F64) -> F64:
    """Two weights as one, each 0..1, clamped. screen: 1 − (1 − a)(1 − b)."""
    match mode:
        case "replace":
            out = other
        case "multiply":
            out = here * other
        case "add":
            out = here + other
        case "subtract":
            out = here - other
        case "max":
            out = np.maximum(here, other)
        case "min":
            out = np.minimum(here, other)
        case "screen":
            out = 1 - (1 - here) * (1 - other)
    return np.clip(out, 0, 1)


class MixFill(FillSettings):
    """The view's source channel, inverted first or not. amount: how much of the result."""

    title: ClassVar[str] = "Mix channel"
    about: ClassVar[str] = "Another channel, copied or mixed in"

    kind: Literal["mix"] = "mix"
    mode: MixMode = "replace"
    inverted: bool = False
    amount: Unit = 1.0

    @classmethod
    def settings(cls, of: Extent) -> tuple[Setting, ...]:
        return (
            Setting(
                key="source",
                title="Channel to mix in",
                about="From any set of this surface; vertices and maps convert",
                pick="another channel",
            ),
            Setting(
                key="mode",
                title="How it is mixed",
                about="Onto what is there",
                choices=get_args(MixMode),
                names=tuple(str(mode).capitalize() for mode in get_args(MixMode)),
            ),
            share("amount", "Amount", "How much of the result"),
            switch("inverted", "Invert it first", "One minus the other channel"),
        )

    def wanted(self, view: FillView) -> Wanted:
        if view.source is None:
            raise ValueError("mixing needs another channel")
        other = 1 - view.source if self.inverted else view.source
        return Wanted(mixed(self.mode, view.values, other), self.amount)

    def label(self, name: str) -> str:
        return f"Mix into {name}"
