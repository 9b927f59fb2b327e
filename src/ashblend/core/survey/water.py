"""Where water stands."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.source_document import Unit
from ashblend.core.survey.flow import flood
from ashblend.core.survey.protocol import Ground, MeasureDocument, measure


class WaterMeasure(MeasureDocument):
    """level: metres of open water; where the ground lies lower, it is under it. lakes: how far depressions are full."""

    title: ClassVar[str] = "Water"
    about: ClassVar[str] = "How deep water stands, in metres: in depressions, and below a level of open water"
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (0.0, 0.3)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(key="level", title="Level", about="Height of open water", low=-50, high=200, unit="m"),
        Setting(key="lakes", title="Lakes", about="How far depressions are full", low=0, high=1, unit="%"),
    )

    kind: Literal["water"] = "water"
    level: Annotated[FiniteFloat, Field(ge=-1e5, le=1e5)] = 0.0
    lakes: Annotated[FiniteFloat, Field(ge=0, le=1)] = 1.0


def water_depth(heights: F32, level: float, lakes: float) -> F32:
    """(rows, cols) metres of standing water, 0 where it is dry. Source: see `flow`."""
    depth = np.maximum(np.float32(level) - heights, np.float32(0))
    if lakes > 0:
        filled, _ = flood(heights)
        depth = np.maximum(depth, np.float32(lakes) * (filled - heights))
    return depth


def _over(ground: Ground, wanted: WaterMeasure, _: Progress) -> F32:
    return water_depth(ground.heights, wanted.level, wanted.lakes)


WATER = measure(WaterMeasure, _over)
