"""How far the nearest water lies."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.source_document import Unit
from ashblend.core.survey.protocol import Ground, MeasureDocument, measure
from ashblend.core.survey.upstream import upstream_area
from ashblend.core.survey.water import water_depth


class NearWaterMeasure(MeasureDocument):
    """level, lakes: as of water. deep: metres from which it counts. streams: m² from which what drains is a stream;
    0 for none.
    """

    title: ClassVar[str] = "Distance to water"
    about: ClassVar[str] = "Metres, level, to the nearest standing water or stream"
    unit: ClassVar[Unit] = "m"
    ends: ClassVar[tuple[float, float]] = (12.0, 0.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(key="level", title="Level", about="Height of open water", low=-50, high=200, unit="m"),
        Setting(key="lakes", title="Lakes", about="How far depressions are full", low=0, high=1, unit="%"),
        Setting(
            key="deep",
            title="From depth",
            about="Depth from which it counts as water",
            low=0,
            high=2,
            unit="m",
        ),
        Setting(
            key="streams",
            title="Streams from",
            about="Ground that a stream drains, 0 for none",
            low=0,
            high=100000,
            unit="m²",
        ),
    )

    kind: Literal["near_water"] = "near_water"
    level: Annotated[FiniteFloat, Field(ge=-1e5, le=1e5)] = 0.0
    lakes: Annotated[FiniteFloat, Field(ge=0, le=1)] = 1.0
    deep: Annotated[FiniteFloat, Field(ge=0, le=1000)] = 0.05
    streams: Annotated[FiniteFloat, Field(ge=0, le=1e9)] = 4000.0


def _over(ground: Ground, wanted: NearWaterMeasure, progress: Progress) -> F32:
    """Exact distances: Maurer, Qi and Raghavan (2003), IEEE PAMI 25(2), as SciPy has it."""
    from scipy.ndimage import distance_transform_edt

    wet = water_depth(ground.heights, wanted.level, wanted.lakes) > wanted.deep
    if wanted.streams > 0:
        progress(0.4)
        wet |= upstream_area(ground) >= wanted.streams
    if not wet.any():
        # No water anywhere: as far as the ground is wide.
        return np.full(wet.shape, max(wet.shape) * ground.spacing, np.float32)
    return (distance_transform_edt(~wet) * ground.spacing).astype(np.float32)


NEAR_WATER = measure(NearWaterMeasure, _over)
