"""Slope: the angle between the surface and level ground, in degrees; linear in its cosine."""

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from ashblend.core.arrays import F64
from ashblend.core.recipe.lowering import Lowering
from ashblend.core.recipe.sources.protocol import SourceDocument, SourceValue, Unit
from ashblend.core.tree.host import host
from ashblend.core.tree.node import Component


def degrees_of(cosines: F64, _: Mapping[str, float]) -> F64:
    return np.degrees(np.arccos(np.clip(cosines, -1, 1)))


class SlopeSource(SourceDocument):
    title: ClassVar[str] = "Slope"
    about: ClassVar[str] = "How steep a place is: 0° level, 90° upright, 180° overhead"
    unit: ClassVar[Unit] = "°"
    ends: ClassVar[tuple[float, float]] = (30.0, 60.0)

    kind: Literal["slope"] = "slope"


def lower_slope(_: SlopeSource, __: str, at: Lowering) -> SourceValue:
    return SourceValue(
        Component(at.stream("normal", 3), "y"),
        lambda degrees: host("cosine", degrees),
        degrees_of,
        falls=True,
    )
