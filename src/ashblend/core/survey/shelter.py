"""Shelter from the wind."""

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
from ashblend.core.terrain.lie import height_at

# Wind blows from a sector: its middle and both sides, in degrees.
SECTOR = (-15.0, 0.0, 15.0)


@numba.njit(cache=True, nogil=True, parallel=True)
def upwind_slopes(heights: F32, spacing: float, azimuth: float, reach: float) -> F32:
    """(rows, cols) degrees: the steepest slope to any ground upwind within reach, a spacing at a time.

    azimuth: degrees clockwise from north (row 0) that the wind blows from. reach: metres.
    Source: Winstral, Elder and Davis (2002), Journal of Hydrometeorology 3(5), 524-538, equation 1.
    """
    rows, cols = heights.shape
    east, south = np.sin(np.radians(azimuth)), -np.cos(np.radians(azimuth))
    steps = max(1, int(reach / spacing))
    out = np.empty(heights.shape, np.float32)
    for r in numba.prange(rows):
        for c in range(cols):
            here = heights[r, c]
            best = -np.inf
            for k in range(1, steps + 1):
                x, y = c + k * east, r + k * south
                if x < 0 or y < 0 or x > cols - 1 or y > rows - 1:
                    break
                best = max(best, (height_at(heights, x, y) - here) / (k * spacing))
            out[r, c] = np.degrees(np.arctan(best)) if best > -np.inf else 0.0
    return out


class ShelterMeasure(MeasureDocument):
    """azimuth: degrees clockwise from north that the wind blows from. metres: how far upwind is looked."""

    title: ClassVar[str] = "Wind shelter"
    about: ClassVar[str] = (
        "How steeply the ground upwind rises above a place: below 0° exposed, above it sheltered"
    )
    unit: ClassVar[Unit] = "°"
    ends: ClassVar[tuple[float, float]] = (0.0, 15.0)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(key="azimuth", title="Wind from", about=CLOCKWISE, low=0, high=360, unit="°", compass=True),
        Setting(
            key="metres", title="Looks", about="How far upwind", low=5, high=1000, unit="m", logarithmic=True
        ),
    )

    kind: Literal["shelter"] = "shelter"
    azimuth: Annotated[FiniteFloat, Field(ge=0, le=360)] = 240.0
    metres: Annotated[FiniteFloat, Field(gt=0, le=10_000)] = 80.0


def sheltered(ground: Ground, wanted: ShelterMeasure, progress: Progress) -> F32:
    """(rows, cols) degrees: the mean over the sector that the wind comes from."""
    out = np.zeros_like(ground.heights)
    for number, off in enumerate(SECTOR):
        progress(number / len(SECTOR))
        out += upwind_slopes(ground.heights, ground.spacing, wanted.azimuth + off, wanted.metres)
    return out / np.float32(len(SECTOR))


SHELTER = measure(ShelterMeasure, sheltered)
