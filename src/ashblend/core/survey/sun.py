"""Sun over a day, with the shadows that the ground throws."""

from typing import Annotated, ClassVar, Literal

import numba
import numpy as np
from pydantic import Field, FiniteFloat

from ashblend.core.arrays import F32, F64
from ashblend.core.progress import Progress
from ashblend.core.setting import Setting
from ashblend.core.survey.protocol import Ground, MeasureDocument, measure
from ashblend.core.terrain.lie import corner_gradient, height_at

# Suns of a day that are looked at.
SUNS = 24
# Larger ground is asked about at so many places along an edge: shadows are soft at that scale anyway.
MOST_EDGE = 1025


def suns(latitude: float, day: int) -> F64:
    """(k, 3) unit directions to the sun (east, up, south) at even times between sunrise and sunset; none in a polar night.

    Source: declination by Cooper (1969), Solar Energy 12(3); the rest is spherical trigonometry.
    """
    tilt = np.radians(23.45 * np.sin(np.radians(360 * (284 + day) / 365)))
    lat = np.radians(latitude)
    rises = -np.tan(lat) * np.tan(tilt)
    half = np.pi if rises <= -1 else (0.0 if rises >= 1 else np.arccos(rises))
    hours = (np.arange(SUNS) + 0.5) / SUNS * 2 * half - half
    up = np.sin(lat) * np.sin(tilt) + np.cos(lat) * np.cos(tilt) * np.cos(hours)
    east = -np.cos(tilt) * np.sin(hours)
    south = np.sin(lat) * np.cos(tilt) * np.cos(hours) - np.cos(lat) * np.sin(tilt)
    found = np.stack([east, up, south], axis=1)
    return found[up > 1e-6] if half > 0 else np.empty((0, 3))


@numba.njit(cache=True, nogil=True, parallel=True)
def lit_by(heights: F32, spacing: float, sun: F64, highest: float, out: F32) -> None:
    """Add to each place (rows, cols) how squarely a sun meets it, where nothing stands between."""
    rows, cols = heights.shape
    east, up, south = sun[0], sun[1], sun[2]
    level = np.sqrt(east * east + south * south)
    for r in numba.prange(rows):
        for c in range(cols):
            along, down = corner_gradient(heights, r, c)
            nx, nz = -along / spacing, -down / spacing
            facing = (nx * east + up + nz * south) / np.sqrt(nx * nx + nz * nz + 1)
            if facing <= 0:
                continue
            here = float(heights[r, c])
            clear = True
            if level > 1e-6:
                dx, dy, rise = east / level, south / level, up / level * spacing
                at, step = 1.0, 1.0
                while True:
                    x, y, ray = c + at * dx, r + at * dy, here + at * rise
                    if ray > highest or x < 0 or y < 0 or x > cols - 1 or y > rows - 1:
                        break
                    if height_at(heights, x, y) > ray:
                        clear = False
                        break
                    # Far away a shadow's edge need not be found to the metre.
                    step = max(1.0, 0.04 * at)
                    at += step
            if clear:
                out[r, c] += facing


class SunMeasure(MeasureDocument):
    """latitude: degrees north. day: of the year."""

    title: ClassVar[str] = "Sun"
    about: ClassVar[str] = "How much sun a place gets over a day, beside level open ground: 0 none, 1 as much"
    ends: ClassVar[tuple[float, float]] = (0.5, 1.1)
    settings: ClassVar[tuple[Setting, ...]] = (
        Setting(key="latitude", title="Latitude", about="Degrees north", low=-90, high=90, unit="°"),
        Setting(key="day", title="Day", about="Of the year", low=1, high=365, whole=True),
    )

    kind: Literal["sun"] = "sun"
    latitude: Annotated[FiniteFloat, Field(ge=-90, le=90)] = 58.0
    day: Annotated[int, Field(ge=1, le=365)] = 100


def _over(ground: Ground, wanted: SunMeasure, progress: Progress) -> F32:
    from ashblend.core.terrain.resample import resampled

    shape = ground.heights.shape
    rows, cols = (min(count, MOST_EDGE) for count in shape)
    heights = resampled(ground.heights, rows, cols)
    spacing = ground.spacing * (shape[1] - 1) / (cols - 1)
    found = suns(wanted.latitude, wanted.day)
    out = np.zeros_like(heights)
    for number, sun in enumerate(found):
        progress(number / max(len(found), 1))
        lit_by(heights, spacing, sun, float(heights.max()), out)
    level = float(found[:, 1].sum()) if len(found) else 1.0
    return resampled(out / np.float32(level), *shape)


SUN = measure(SunMeasure, _over)
