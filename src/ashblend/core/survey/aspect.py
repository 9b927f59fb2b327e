"""Which way the ground falls, from a bearing."""

from typing import Annotated, ClassVar, Literal

import numba
import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32
from ashblend.core.bearing import CLOCKWISE
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.source_document import Unit
from ashblend.core.survey.protocol import Ground, MeasureDocument, measure
from ashblend.core.terrain.lie import corner_gradient

LEVEL = 1e-9


@numba.njit(cache=True, nogil=True, parallel=True)
def bearings(heights: F32) -> F32:
    """(rows, cols) degrees clockwise from north (row 0) toward which the ground falls; NaN where it is level.

    Source: Horn (1981) for the gradient; bearings as in Burrough and McDonnell (1998), chapter 8.
    """
    out = np.empty(heights.shape, np.float32)
    for r in numba.prange(heights.shape[0]):
        for c in range(heights.shape[1]):
            along, down = corner_gradient(heights, r, c)
            if abs(along) < LEVEL and abs(down) < LEVEL:
                out[r, c] = np.nan
            else:
                # Downhill is against the gradient; north is against rows.
                out[r, c] = np.degrees(np.arctan2(-along, down)) % 360.0
    return out


class AspectMeasure(MeasureDocument):
    """azimuth: degrees clockwise from north."""

    title: ClassVar[str] = "Aspect"
    about: ClassVar[str] = "How far the way the ground falls lies from a bearing: 0° toward it, 180° away"
    unit: ClassVar[Unit] = "°"
    ends: ClassVar[tuple[float, float]] = (90.0, 30.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(
            key="azimuth",
            title="Bearing",
            about=CLOCKWISE,
            compass=True,
            low=0,
            high=360,
            unit="°",
        ),
    )

    kind: Literal["aspect"] = "aspect"
    azimuth: Annotated[FiniteFloat, Field(ge=0, le=360)] = 0.0


def _over(ground: Ground, wanted: AspectMeasure, _: Progress) -> F32:
    away = np.abs((bearings(ground.heights) - np.float32(wanted.azimuth) + 180) % 360 - 180)
    # Level ground falls no way: as far from one bearing as from its opposite.
    return np.where(np.isnan(away), np.float32(90), away).astype(np.float32)


ASPECT = measure(AspectMeasure, _over)
