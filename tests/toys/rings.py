"""A toy term: rings around an axis, so many metres apart."""

from typing import Literal

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue
from ashblend.core.tree.host import fact
from ashblend.core.tree.node import Component
from ashblend.core.tree.operations import operation


class RingsSource(SourceDocument):
    kind: Literal["rings"] = "rings"
    metres: float = 1.0


def lower_rings(_: RingsSource, path: str, at: Lowering) -> SourceValue:
    place = at.stream("position", 3)
    x = Component(place, "x") + at.number(f"{path}/origin_x", fact("origin_x"))
    z = Component(place, "z") + at.number(f"{path}/origin_z", fact("origin_z"))
    apart = operation("sqrt", x * x + z * z) / at.number(f"{path}/metres")
    return SourceValue(operation("fract", apart))
