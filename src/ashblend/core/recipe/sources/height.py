"""Height in metres."""

from typing import ClassVar, Literal

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue, Unit
from ashblend.core.tree.host import fact, host
from ashblend.core.tree.node import Component


class HeightSource(SourceDocument):
    title: ClassVar[str] = "Height"
    about: ClassVar[str] = "How high a place lies, in metres"
    unit: ClassVar[Unit] = "m"
    placed: ClassVar[bool] = True

    kind: Literal["height"] = "height"


def lower_height(_: HeightSource, __: str, at: Lowering) -> SourceValue:
    height = Component(at.stream("position", 3), "y")
    # The place is counted from the surface's origin; so are the ends.
    return SourceValue(
        height,
        lambda metres: host("subtract", metres, fact("origin_y")),
        lambda values, facts: values + facts["origin_y"],
    )
