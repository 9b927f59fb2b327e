"""Slope: the angle between the surface and level ground, in degrees; linear in its cosine."""

from typing import Literal

from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue
from ashblend.core.tree import Component, host


class SlopeSource(SourceDocument):
    kind: Literal["slope"] = "slope"


def lower_slope(_: SlopeSource, __: str, at: Lowering) -> SourceValue:
    return SourceValue(
        Component(at.stream("normal", 3), "y"), lambda degrees: host("cosine", degrees), falls=True
    )
