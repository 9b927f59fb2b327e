"""Height in metres."""

from typing import Literal

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue
from ashblend.core.tree import Component, fact, host


class HeightSource(SourceDocument):
    kind: Literal["height"] = "height"


def lower_height(_: HeightSource, __: str, at: Lowering) -> SourceValue:
    height = Component(at.stream("position", 3), "y")
    # The place is counted from the surface's origin; so are the ends.
    return SourceValue(height, lambda metres: host("subtract", metres, fact("origin_y")))
